"""Filters of profiles and surfaces before form is read from them (ISO 16610)."""
