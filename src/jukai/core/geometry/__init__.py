"""Arrays in, arrays out. Nothing here knows of recipes, operators or files."""
