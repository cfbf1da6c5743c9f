"""The fit: values of a conversion moved to where what a verdict hangs on differs least, and confirmed by pictures."""
