"""The simulated receiver: it knows the truth, and answers only through meter values."""
