"""Placing measured points in part coordinates."""
