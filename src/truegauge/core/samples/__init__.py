"""Measured individuals."""
