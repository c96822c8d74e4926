"""Alignment of the intermediate frequency."""
