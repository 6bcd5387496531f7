"""Whole inspections without a window: one scan, a batch of them, an inbox. Used by the command line and the window."""
