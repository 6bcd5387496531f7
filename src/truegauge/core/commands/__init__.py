"""Every change of a plan, and its history."""
