"""One operator is one file; the registry finds them."""
