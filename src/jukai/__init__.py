"""Jukai: parametric operators and shapes for hard-surface and ornamental parts."""

__version__ = "0.1.0"
