"""Fault tracing."""
