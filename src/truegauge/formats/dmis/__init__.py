"""Programs of measuring machines in DMIS (ISO 22093): from the standard, tried against our own reader only."""
