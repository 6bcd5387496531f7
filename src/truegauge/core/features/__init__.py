"""Measured features: which points belong to a feature, and what they say about it."""
