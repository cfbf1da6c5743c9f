"""What rows hold as JSON, as models: written, read and served as such."""
