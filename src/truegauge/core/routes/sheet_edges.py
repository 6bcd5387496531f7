"""Places on the edge of a sheet, each with one on the sheet beside it that tells how high the sheet is there."""

import numpy as np

from truegauge.core.arrays import Points, three
from truegauge.core.errors import DeviceError
from truegauge.core.features.coverage import AreaSamples
from truegauge.core.routes.places import BESIDE, Places, Surface, Trouble, nowhere
from truegauge.core.routes.strategies import SheetEdge

_CELLS = 400  # places of a face at which its normal is known: at the very border it is not


def on_sheet_edge(surface: Surface, strategy: SheetEdge) -> tuple[Places, tuple[Trouble, ...]]:
    """Return the places, sheet and edge in turn, and those that there are none for.

    Raises
    ------
    DeviceError
        The feature borders on no sheet.
    """
    sheet, curves = _border(surface, strategy)
    along = _evenly(curves, strategy)
    beside = Surface(surface.model, surface.projector, surface.feature.of_faces((sheet,)))
    found, troubles = [nowhere()], []
    for point, up, side in zip(along, _normals(beside, along), _normals(surface, along), strict=True):
        out = side - (side @ up) * up
        length = float(np.linalg.norm(out))
        if length < 0.3:
            troubles.append(Trouble(three(point), False, "the edge is no edge there: its face goes on into the sheet"))
            continue
        on, there = surface.on_it((point - strategy.depth * up)[None], strategy.depth)
        first, here = beside.on_it((point - strategy.inset * out / length)[None], strategy.inset)
        if not there.all():
            why = f"the edge is not {strategy.depth:g} mm deep there"
            troubles.append(Trouble(three(point), False, why))
        elif not here.all():
            why = f"the sheet is not {strategy.inset:g} mm wide there"
            troubles.append(Trouble(three(point), False, why))
        else:
            found += [Places(first.points, first.normals, np.array([BESIDE])), on]
    whole = Places(
        np.vstack([f.points for f in found]), np.vstack([f.normals for f in found]),
        np.concatenate([f.rows for f in found]),
    )  # fmt: skip
    return whole, tuple(troubles)


def _border(surface: Surface, strategy: SheetEdge) -> tuple[int, list[Points]]:
    """Return the sheet's face that the feature borders on, and the borders between them."""
    own = set(surface.feature.faces)
    between: dict[int, list[Points]] = {}
    for edge in surface.model.edges:
        others = set(edge.faces) - own
        if others and set(edge.faces) & own and len(edge.faces) == 2:
            between.setdefault(others.pop(), []).append(edge.polyline)
    sheets = sorted(between, key=lambda f: (-round(surface.model.faces[f].area, 3), f))
    if not sheets or (strategy.other and len(sheets) < 2):
        raise DeviceError("no sheet borders on its faces")
    chosen = sheets[1 if strategy.other else 0]
    return chosen, between[chosen]


def _normals(surface: Surface, points: Points) -> Points:
    """Return the normals (n, 3) of faces near points of their border."""
    from scipy.spatial import cKDTree

    known, there = surface.on_it(AreaSamples(surface.model, surface.feature.faces).cells(_CELLS))
    known = known.at(there)
    if not len(known):
        raise DeviceError("its faces are too narrow to touch between their borders")
    return np.asarray(known.normals[cKDTree(known.points).query(points)[1]])


def _evenly(curves: list[Points], strategy: SheetEdge) -> Points:
    """Return places (n, 3) evenly along curves, the ends of each pulled in."""
    lengths = [float(np.linalg.norm(np.diff(c, axis=0), axis=1).sum()) for c in curves]
    share = np.array(lengths) / max(sum(lengths), 1e-9) * strategy.touches
    counts = np.floor(share).astype(int)
    for k in np.argsort(counts - share)[: strategy.touches - int(counts.sum())]:
        counts[k] += 1
    found = []
    for curve, length, count in zip(curves, lengths, counts, strict=True):
        if not count:
            continue
        run = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(curve, axis=0), axis=1))])
        closed = bool(np.linalg.norm(curve[0] - curve[-1]) < 1e-6)
        inset = 0.0 if closed else min(strategy.pulled_in, 0.45 * length)
        at = np.linspace(inset, length - inset, count + closed)[:count] if count > 1 else np.array([length / 2])
        found.append(np.column_stack([np.interp(at, run, curve[:, c]) for c in range(3)]))
    return np.vstack(found) if found else np.zeros((0, 3))
