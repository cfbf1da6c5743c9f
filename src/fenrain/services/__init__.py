"""What the interface asks for, over the store and the core."""
