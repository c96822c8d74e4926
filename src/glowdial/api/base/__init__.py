"""What the routers are handed and take in common."""
