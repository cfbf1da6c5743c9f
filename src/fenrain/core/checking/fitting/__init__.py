"""The fit: values of a conversion moved to where what a verdict depends on differs least, and confirmed by pictures."""
