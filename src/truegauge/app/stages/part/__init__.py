"""The Part stage."""
