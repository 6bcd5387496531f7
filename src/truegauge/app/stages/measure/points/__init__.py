"""Points that were measured first, and are put to features afterwards."""
