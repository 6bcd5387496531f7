"""Contours from DXF: lines, arcs, circles, ellipses, polylines, splines, blocks of them, joined where they meet; mm."""

from __future__ import annotations

import io
from typing import TYPE_CHECKING, Any

import numpy as np

from truegauge.core.errors import FormatError
from truegauge.formats.files import read_bytes

if TYPE_CHECKING:
    from collections.abc import Iterable, Iterator, Sequence
    from pathlib import Path

    from truegauge.core.arrays import Floats

_LARGEST, _MOST = 50_000_000, 20_000  # bytes; entities
_FINE = 0.001  # mm that a curve is off its chords
_JOINED = 1e-3  # mm between ends that are one
_DEEP = 8  # blocks in blocks
_KINDS = {"LINE", "ARC", "CIRCLE", "ELLIPSE", "LWPOLYLINE", "POLYLINE", "SPLINE"}
# $INSUNITS: what a length is in mm; nothing said: mm.
_UNITS = {0: 1.0, 1: 25.4, 2: 304.8, 4: 1.0, 5: 10.0, 6: 1000.0, 13: 1e-3}


def contour_from_dxf(path: Path) -> tuple[Floats, ...]:
    """Return the lines (n, 2) mm of a drawing's model space, those that meet joined; closed ones end where they begin.

    Raises
    ------
    FormatError
        It is no DXF, is damaged, or holds no curve.
    """
    from ezdxf import recover
    from ezdxf.lldxf.const import DXFError

    data = read_bytes(path)
    if len(data) > _LARGEST:
        raise FormatError(path, f"{len(data) / 1e6:.0f} MB: a contour is smaller; export the outline alone")
    try:
        document, _ = recover.read(io.BytesIO(data))
        unit = int(document.header.get("$INSUNITS", 0))
        entities = list(_curves(document.modelspace(), _DEEP))
    except (OSError, DXFError, ValueError, KeyError, TypeError, AttributeError, IndexError) as error:
        raise FormatError(path, f"this is no DXF, or it is damaged ({error})") from None
    if unit not in _UNITS:
        raise FormatError(path, "its unit of length is none that is known here; export it in mm")
    if not entities:
        raise FormatError(path, "there is no line, arc, polyline or spline in it; export the outline")
    if len(entities) > _MOST:
        raise FormatError(path, f"{len(entities):,} curves: export the outline alone")
    lines = _flattened(path, entities, _UNITS[unit])
    if not lines:
        raise FormatError(path, "its curves have no length")
    return tuple(_joined(lines))


def _curves(entities: Iterable[Any], deep: int) -> Iterator[object]:
    """Return the curves among entities and in the blocks that are put there: outlines are often drawn as one."""
    for entity in entities:
        if entity.dxftype() in _KINDS:
            yield entity
        elif entity.dxftype() == "INSERT" and deep > 0:
            for one in entity.multi_insert() if entity.mcount > 1 else (entity,):
                yield from _curves(one.virtual_entities(), deep - 1)


def _flattened(path: Path, entities: Sequence[object], unit: float) -> list[Floats]:
    made = []
    for entity in entities:
        try:
            lines = [unit * line for line in _lines_of(entity, _FINE / unit)]
        except (ValueError, TypeError, AttributeError, ArithmeticError, LookupError) as error:
            raise FormatError(path, f"a curve in it cannot be read ({error})") from None
        for line in lines:
            if not np.isfinite(line).all():
                raise FormatError(path, "a curve in it goes through what is no place")
            if len(line) > 1 and np.linalg.norm(np.diff(line, axis=0), axis=1).sum() > _JOINED:
                made.append(line)
    return made


def _lines_of(entity: Any, fine: float) -> list[Floats]:
    """Return the lines of an entity, their places exactly on it: circles are not made of splines."""
    kind = entity.dxftype()
    if kind in ("LWPOLYLINE", "POLYLINE"):
        return [line for piece in entity.virtual_entities() for line in _lines_of(piece, fine)]
    if kind == "LINE":
        places = [entity.dxf.start, entity.dxf.end]
    elif kind in ("ARC", "CIRCLE", "ELLIPSE", "SPLINE"):
        places = list(entity.flattening(fine))
    else:
        return []
    return [np.array([(p.x, p.y) for p in places], dtype=np.float64).reshape(-1, 2)]


def _joined(lines: list[Floats]) -> list[Floats]:
    """Join lines whose ends meet, each end with one other."""
    partner = _partners(np.array([end for line in lines for end in (line[0], line[-1])]))
    left, made = set(range(len(lines))), dict[int, np.ndarray]()
    free = [e // 2 for e in range(len(partner)) if partner[e] < 0]
    for first in (*free, *range(len(lines))):  # open ones from an end of theirs, then closed ones
        if first not in left:
            continue
        end = 2 * first if partner[2 * first] < 0 or partner[2 * first + 1] >= 0 else 2 * first + 1
        begin = end
        places: list[Floats] = []
        of = first
        while end >= 0 and end // 2 in left:
            left.remove(end // 2)
            of = min(of, end // 2)
            line = lines[end // 2] if end % 2 == 0 else lines[end // 2][::-1]
            places.append(line[1:] if places else line)
            end = partner[end ^ 1]
        whole = np.vstack(places)
        made[of] = np.vstack([whole[:-1], whole[:1]]) if end == begin else whole
    return [made[k] for k in sorted(made)]  # in the order of the file


def _partners(ends: Floats) -> list[int]:
    """Return with which other end each meets (-1: none), of ends (2 n, 2): begin and end of each line in turn."""
    cells: dict[tuple[int, int], dict[int, None]] = {}
    keys = [(int(x), int(y)) for x, y in np.floor(ends / _JOINED)]
    for k, key in enumerate(keys):
        cells.setdefault(key, {})[k] = None
    partner = [-1] * len(ends)

    def join(a: int, b: int) -> None:
        partner[a], partner[b] = b, a
        del cells[keys[a]][a], cells[keys[b]][b]

    def near(a: int, b: int) -> bool:
        return a != b and float(np.hypot(*(ends[a] - ends[b]))) <= _JOINED

    for k in range(0, len(ends), 2):  # what is closed by itself stays so
        if near(k, k + 1):
            join(k, k + 1)
    for k, (x, y) in enumerate(keys):
        if partner[k] < 0:
            around = ((x + i, y + j) for i in (0, -1, 1) for j in (0, -1, 1))
            other = next((b for cell in around for b in cells.get(cell, ()) if near(k, b)), None)
            if other is not None:
                join(k, other)
    return partner
