"""The look check: how different two looks are, and whether it matters."""
