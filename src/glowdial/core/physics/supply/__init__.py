"""Power supplies: the circuit, its steady state, the limiter lamp, what heaters draw."""
