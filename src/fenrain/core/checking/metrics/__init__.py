"""How different two pictures are, one kind of measure a file."""
