"""The nominal part: faces, exact surfaces, projection, recognition."""
