"""Oscillator and aerial circuits: tracking over the dial."""
