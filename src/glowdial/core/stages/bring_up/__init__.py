"""Bring-up: the gate, the ramp, what ails a supply, the conversion, the voltage chart."""
