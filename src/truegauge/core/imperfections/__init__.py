"""Where a surface leaves its own smooth course: reference surface, finding, measuring (words of ISO 8785)."""
