"""Deviations of the cloud: their statistics, and the map over the part."""
