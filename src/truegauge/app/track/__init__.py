"""The route in the window: the track at its foot, the rehearsal, what is told of a step."""
