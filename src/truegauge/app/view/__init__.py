"""The 3-D view and what is painted over it."""
