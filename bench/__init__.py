"""Speed as ratios against peers and limits; nothing here is asserted."""
