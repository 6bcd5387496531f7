"""Portable devices in the window: their lines, what they read just now, and readouts that can be read from afar."""
