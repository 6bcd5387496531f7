"""How near solids come to each other: on the whole of a straight way, not only at its ends."""
