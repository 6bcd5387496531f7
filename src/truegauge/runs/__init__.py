"""Work on a machine that can stop and go on: what is left of it, the ways, what it tells."""
