"""Audio as it was recorded: what a tone, its noise, its harmonics and the hum come to."""
