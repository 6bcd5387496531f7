"""Sections of blades on the Evaluate stage."""
