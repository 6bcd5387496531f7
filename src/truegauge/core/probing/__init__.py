"""Probes: what they are built of, how they are qualified, and what a touch means."""
