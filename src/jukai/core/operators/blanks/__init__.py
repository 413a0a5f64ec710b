"""Operators: blanks."""
