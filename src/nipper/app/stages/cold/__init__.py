"""Cold: the cutoff, and its proof."""
