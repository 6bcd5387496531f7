"""Planar sections of the part and of the cloud, and dimensions in them."""
