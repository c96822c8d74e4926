"""Dial calibration."""
