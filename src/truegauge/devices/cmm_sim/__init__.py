"""A stand-in for a coordinate measuring machine: what is behind its I++ DME server."""
