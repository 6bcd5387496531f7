"""The window: thin Qt widgets over a presentation model."""
