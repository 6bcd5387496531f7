"""Measurement uncertainty: what a device states, what points say, and how both reach a result."""
