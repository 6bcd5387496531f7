"""Many scans by one plan."""
