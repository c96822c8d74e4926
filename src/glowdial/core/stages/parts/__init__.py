"""Parts: which to change, in what order, and what goes in their place."""
