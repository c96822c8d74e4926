"""Times and ratios, measured on request and never asserted in tests."""
