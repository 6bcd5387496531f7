"""The Align stage: alignments, their freedoms, and the guide."""
