"""The rule desk: what a fleet's own rules and orders of work mean, checked, compared and reckoned; no database."""
