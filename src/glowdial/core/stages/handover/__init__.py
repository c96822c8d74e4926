"""Handover of the set with its report."""
