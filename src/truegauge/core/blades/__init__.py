"""Sections of aerofoils: the closed curve, its mean line by inscribed circles, chords, edges, thickness."""
