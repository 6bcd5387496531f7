"""Datums, rules, and why a number is what it is."""
