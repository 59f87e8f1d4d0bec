"""Signed sheets: sealed, chained, and held against what lies in the tables."""
