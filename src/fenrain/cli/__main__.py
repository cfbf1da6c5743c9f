"""`python -m fenrain.cli`."""

from fenrain.cli import main

main()
