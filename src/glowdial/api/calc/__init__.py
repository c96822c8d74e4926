"""Stateless sums for scripts and notebooks."""
