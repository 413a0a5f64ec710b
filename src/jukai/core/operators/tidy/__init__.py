"""Tidying and finishing."""
