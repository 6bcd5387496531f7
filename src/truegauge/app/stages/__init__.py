"""The stages, a folder each."""
