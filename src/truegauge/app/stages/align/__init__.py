"""The Align stage."""
