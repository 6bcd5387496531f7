"""Checks of a portable device before it is measured with: what they find, how it is judged, when they are due."""
