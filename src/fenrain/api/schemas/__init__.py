"""What goes over the wire: a file for each router, and what they share."""
