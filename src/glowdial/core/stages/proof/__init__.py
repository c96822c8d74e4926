"""Proof of performance."""
