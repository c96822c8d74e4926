"""What is known of a receiver: its facts, its circuit, its parts, and where it can be measured."""
