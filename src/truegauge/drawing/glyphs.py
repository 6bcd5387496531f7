"""Our own vector glyphs: tolerance symbols (ISO 1101 shapes) and icons, drawn alike on every machine.

A glyph is a list of strokes in a 24 x 24 box, y downwards: ("line", x1, y1, x2, y2, ...) an open polyline,
("loop", ...) a closed one, ("circle", x, y, r), ("arc", x, y, r, start, sweep) in degrees counter-clockwise from +x.
"""

from truegauge.drawing.surface import Surface

Stroke = tuple[str | float, ...]

GLYPHS: dict[str, tuple[Stroke, ...]] = {
    # characteristics
    "diameter": (("circle", 12, 12, 6.5), ("line", 6, 20, 18, 4)),
    "radius": (("arc", 12, 14, 8.5, -20, 220), ("line", 12, 14, 17.5, 7.5), ("circle", 12, 14, 1.2)),
    "distance": (("line", 3, 12, 21, 12), ("line", 7, 8, 3, 12, 7, 16), ("line", 17, 8, 21, 12, 17, 16)),
    "spot": (("arc", 12, 26, 12, 42, 96), ("circle", 12, 14, 2), ("line", 12, 3, 12, 11),
             ("line", 9, 8, 12, 11, 15, 8)),
    "coordinate": (("line", 5, 3, 5, 19, 21, 19), ("circle", 15, 9, 2.6), ("line", 15, 13.5, 15, 19)),
    "flatness": (("loop", 3, 18, 8.5, 6, 21, 6, 15.5, 18),),
    "cylindricity": (("circle", 12, 12, 4.2), ("line", 4, 20, 9.5, 4), ("line", 14.5, 20, 20, 4)),
    "roundness": (("circle", 12, 12, 7.5),),
    "straightness": (("line", 3, 12, 21, 12),),
    "angle": (("line", 4, 19, 20, 19), ("line", 4, 19, 16, 5), ("arc", 4, 19, 9, 0, 49)),
    "perpendicularity": (("line", 12, 4, 12, 19), ("line", 4, 19, 20, 19)),
    "parallelism": (("line", 5, 20, 12, 4), ("line", 12, 20, 19, 4)),
    "position": (("circle", 12, 12, 6), ("line", 12, 2.5, 12, 21.5), ("line", 2.5, 12, 21.5, 12)),
    "profile_line": (("arc", 12, 17, 9, 0, 180),),
    "profile_surface": (("arc", 12, 17, 9, 0, 180), ("line", 3, 17, 21, 17)),
    "angularity": (("line", 20, 19, 4, 19, 18, 6),),
    "coaxiality": (("circle", 12, 12, 4), ("circle", 12, 12, 8.5)),
    "concentricity": (("circle", 12, 12, 4), ("circle", 12, 12, 8.5)),
    "symmetry": (("line", 3, 12, 21, 12), ("line", 7, 7, 17, 7), ("line", 7, 17, 17, 17)),
    "circular_runout": (("line", 5, 20, 18, 5), ("line", 11.5, 6.5, 18, 5, 17.5, 11.5)),
    "total_runout": (("line", 3, 20, 12, 8), ("line", 7, 9.5, 12, 8, 11.8, 13), ("line", 12, 20, 21, 8),
                     ("line", 16, 9.5, 21, 8, 20.8, 13), ("line", 3, 20, 12, 20)),
    # stages and alignments
    "devices": (("line", 4, 21, 20, 21), ("line", 6, 21, 6, 4, 18, 4, 18, 21), ("line", 12, 4, 12, 13),
                ("circle", 12, 15.2, 2.2)),
    "datums": (("loop", 6, 15, 18, 15, 12, 21), ("loop", 7, 3, 17, 3, 17, 11, 7, 11), ("line", 12, 11, 12, 15)),
    "best_fit": (("arc", 12, 20, 11, 30, 120), ("circle", 6, 11, 1.2), ("circle", 12, 7, 1.2), ("circle", 18, 12, 1.2)),
    "reference_points": (("line", 3, 20, 21, 20), ("line", 6, 5, 6, 16), ("line", 12, 5, 12, 16),
                         ("line", 18, 5, 18, 16), ("line", 4, 13, 6, 16, 8, 13), ("line", 10, 13, 12, 16, 14, 13),
                         ("line", 16, 13, 18, 16, 20, 13)),
    "matched_points": (("circle", 6, 6, 2.4), ("circle", 18, 9, 2.4), ("circle", 9, 18, 2.4), ("circle", 8.5, 7.5, 1),
                       ("circle", 20, 11, 1), ("circle", 11, 19.5, 1)),
    "guided": (("circle", 12, 12, 8.5), ("circle", 12, 12, 2.2), ("line", 12, 1.5, 12, 6), ("line", 12, 18, 12, 22.5)),
    "given": (("line", 8, 4, 4, 4, 4, 20, 8, 20), ("line", 16, 4, 20, 4, 20, 20, 16, 20), ("circle", 9.5, 9, 1),
              ("circle", 14.5, 9, 1), ("circle", 9.5, 15, 1), ("circle", 14.5, 15, 1)),
    "part": (("loop", 12, 3, 20, 7.5, 20, 16.5, 12, 21, 4, 16.5, 4, 7.5), ("line", 4, 7.5, 12, 12, 20, 7.5),
             ("line", 12, 12, 12, 21)),
    "align": (("line", 4, 20, 4, 4), ("line", 4, 20, 20, 20), ("loop", 8, 9, 15, 5.5, 19, 12.5, 12, 16)),
    "measure": (("line", 3, 20, 21, 20), ("line", 12, 3, 12, 13), ("circle", 12, 15.5, 2.5), ("line", 8, 3, 16, 3)),
    "silhouette": (("loop", 3, 9, 8, 9, 8, 6, 13, 6, 13, 9, 21, 9, 21, 15, 13, 15, 13, 18, 8, 18, 8, 15, 3, 15),
                   ("line", 17, 4, 17, 9), ("line", 17, 15, 17, 20)),
    "evaluate": (("line", 3, 15, 21, 15), ("line", 5, 15, 5, 11), ("line", 9, 15, 9, 13), ("line", 13, 15, 13, 11),
                 ("line", 17, 15, 17, 13), ("loop", 12, 9, 9, 4, 15, 4), ("line", 3, 19, 21, 19)),
    "report": (("loop", 5, 3, 15, 3, 19, 7, 19, 21, 5, 21), ("line", 8, 11, 16, 11), ("line", 8, 14.5, 16, 14.5),
               ("line", 8, 18, 13, 18)),
    "mark": (("arc", 12, 12, 9, -30, 240), ("line", 12, 12, 18.4, 5.6), ("circle", 12, 12, 1.4),
             ("line", 3, 16.5, 21, 16.5)),
}  # fmt: skip


def draw_glyph(surface: Surface, name: str, x: float, y: float, size: float, color: str, width: float = 1.5) -> None:
    """Draw a glyph into a square box with its upper left corner at a place."""
    k = size / 24
    for stroke in GLYPHS[name]:
        kind, n = stroke[0], [float(v) for v in stroke[1:]]
        if kind == "circle":
            surface.circle(x + n[0] * k, y + n[1] * k, n[2] * k, color=color, width=width)
        elif kind == "arc":
            surface.arc(x + n[0] * k, y + n[1] * k, n[2] * k, n[3], n[4], color, width)
        else:
            corners = [(x + a * k, y + b * k) for a, b in zip(n[::2], n[1::2], strict=True)]
            if kind == "loop":
                surface.loop(corners, color=color, width=width)
            else:
                surface.line(corners, color, width)
