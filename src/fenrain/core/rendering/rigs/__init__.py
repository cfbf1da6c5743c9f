"""Light rigs, one file each: an environment picture that shows what matters."""
