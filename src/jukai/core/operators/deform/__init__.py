"""Operators: deform."""
