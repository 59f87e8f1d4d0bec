"""Inspections: begun for the set of the day, grown mark by mark, and what follows from them."""
