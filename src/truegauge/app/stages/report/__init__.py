"""The Report stage."""
