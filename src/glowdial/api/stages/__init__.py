"""Calls that belong to one stage only."""
