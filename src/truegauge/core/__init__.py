"""Computation only: no interface, no pictures, no files opened at import."""
