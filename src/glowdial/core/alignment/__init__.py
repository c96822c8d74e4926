"""Aligning from curves: what a sweep shows, which core it tells to turn, how fast it may run."""
