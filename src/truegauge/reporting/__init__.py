"""Reports: a model of what is said, and its writers."""
