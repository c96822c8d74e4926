"""The order of the stages, what gates them, what is next, and the report."""
