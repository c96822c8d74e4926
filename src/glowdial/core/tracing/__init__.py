"""Fault tracing as inference: the set as blocks, what fails in them, what each test shows."""
