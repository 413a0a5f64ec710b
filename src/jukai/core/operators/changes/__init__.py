"""Changes: edges and faces."""
