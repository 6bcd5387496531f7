"""A stand-in for a line scanner on an arm: a made-up hand sweeps it over the part."""
