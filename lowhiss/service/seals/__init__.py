"""Signed reports: sealed, chained, and held against what lies in the tables."""
