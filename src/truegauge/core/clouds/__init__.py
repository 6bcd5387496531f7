"""Point sets: order, thinning, isolated points."""
