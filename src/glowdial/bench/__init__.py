"""Where readings come from when a bench can be set and read: links, and hands that use them."""
