"""The invented demo: the volunteer bench of a harbour museum, getting its receivers to play."""
