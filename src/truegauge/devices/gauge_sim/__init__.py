"""A stand-in for a temperature gauge."""
