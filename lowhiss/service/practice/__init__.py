"""Practices on the simulated vehicle: kept, listed, joined by a trainer."""
