"""Cold checks: everything that is found before power."""
