"""Features that are built from other features, and relations between them."""
