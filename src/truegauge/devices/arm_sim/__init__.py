"""A stand-in for an arm with a touch probe: the part stands somewhere before it, a made-up hand leads the tip."""
