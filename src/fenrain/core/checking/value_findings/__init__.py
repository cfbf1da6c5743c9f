"""What is odd about a converted material, one kind of finding a file, each with the usual range, its source and a remedy of one action."""
