"""A coordinate measuring machine behind an I++ DME server."""
