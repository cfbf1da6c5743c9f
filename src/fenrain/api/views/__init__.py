"""From rows to what goes over the wire, a file for each kind of thing."""
