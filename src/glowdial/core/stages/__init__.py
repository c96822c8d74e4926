"""The stages of the journey, a room each; no room imports another."""
