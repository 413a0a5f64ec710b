"""Operators: curves."""
