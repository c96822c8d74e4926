"""Dangers, what makes them, and the cautions that are shown."""
