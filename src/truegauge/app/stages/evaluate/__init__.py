"""The Evaluate stage."""
