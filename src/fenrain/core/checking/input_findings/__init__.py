"""What is odd about a material as it was read, one kind of finding a file, each with the evidence that its maps and numbers give."""
