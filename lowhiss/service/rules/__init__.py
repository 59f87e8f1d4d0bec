"""A fleet's own rule sets and orders of work: drafted, published, retired, kept for ever."""
