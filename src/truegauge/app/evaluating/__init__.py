"""The Evaluate stage: map, spot checks, sections, comparisons, saved views."""
