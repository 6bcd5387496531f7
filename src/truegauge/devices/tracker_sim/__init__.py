"""A stand-in for a tracker that follows a reflector: it stands metres away, a made-up hand leads the reflector."""
