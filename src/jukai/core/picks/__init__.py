"""Picks: rules that say what a step acts on, worked out anew on whatever body comes to it."""
