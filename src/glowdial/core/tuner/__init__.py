"""FM receivers and tuners: what is measured of them, how it is reduced, and what it tells."""
