"""The receiver's supply: what B+ to expect, and what a reading of it means."""
