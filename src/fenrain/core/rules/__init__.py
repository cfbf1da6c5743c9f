"""Rules: what a conversion is made of, how faithful each is, and the case that it looks at to tell whether it applies."""
