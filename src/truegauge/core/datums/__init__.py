"""Datums: what they hold, the alignment by them, and the frames that they make."""
