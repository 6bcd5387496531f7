"""Equal elements in a regular order: bolt circles, lines, and sets without an order."""

from dataclasses import dataclass
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

from truegauge.core.arrays import Vector
from truegauge.core.cad.element import Element, ElementKind
from truegauge.core.cad.elements import Elements
from truegauge.core.progress import Progress, silent

_LENGTH, _ANGLE = 2e-3, 1e-3
_MANY = 60  # equal ones: more are a perforation, in which every direction has its lines
_REPEATED = (ElementKind.HOLE, ElementKind.COUNTERBORE, ElementKind.COUNTERSINK, ElementKind.BOSS, ElementKind.PIN,
             ElementKind.SLOT, ElementKind.PAD)  # fmt: skip


class PatternKind(StrEnum):
    """How the elements stand."""

    CIRCLE = "bolt circle"
    LINE = "line"
    SET = "set"


@dataclass(frozen=True, slots=True, eq=False)
class Pattern:
    """Equal elements in order. `size` (mm) is the diameter of a circle or the step of a line; `center` its middle."""

    kind: PatternKind
    members: tuple[Element, ...]
    center: Vector
    size: float

    def describe(self, *, short: bool = False) -> str:
        """Say what it is: "bolt circle ⌀ 60 of 6", or short: "bolt circle"."""
        if short:
            return "equal" if self.kind == PatternKind.SET else str(self.kind)
        n = len(self.members)
        size = f"{self.size:.3f}".rstrip("0").rstrip(".")
        match self.kind:
            case PatternKind.CIRCLE:
                return f"bolt circle ⌀ {size} of {n}"
            case PatternKind.LINE:
                return f"line of {n}, step {size}"
            case _:
                return f"{n} equal ones"


class Patterns:
    """The patterns of one part."""

    def __init__(self, elements: Elements, progress: Progress = silent) -> None:
        self.all = tuple(_found(elements.all, progress))
        self._by_element = {id(m): p for p in self.all for m in p.members}

    def of(self, element: Element) -> Pattern | None:
        """Return the pattern that an element belongs to."""
        return self._by_element.get(id(element))


def _found(elements: tuple[Element, ...], progress: Progress) -> list[Pattern]:
    rest = [e for e in elements if e.kind in _REPEATED]
    centers = [e for e in elements if e.kind in (ElementKind.HOLE, ElementKind.BOSS, ElementKind.COUNTERBORE)]
    patterns: list[Pattern] = []
    groups = _alike(rest)
    for k, equal in enumerate(groups):
        progress(k / len(groups), "patterns")
        while len(equal) >= 2:
            best = None if len(equal) > _MANY else _circle(equal, centers) or _line(equal)
            if best is None:
                patterns.append(Pattern(PatternKind.SET, tuple(equal), _places(equal).mean(axis=0), 0.0))
                break
            patterns.append(best)
            equal = [e for e in equal if e not in best.members]
    return patterns


def _alike(elements: list[Element]) -> list[list[Element]]:
    """Return elements in groups of one kind, size, direction and level; each group by its first."""
    if not elements:
        return []
    kinds = {kind: k for k, kind in enumerate(ElementKind)}
    table = np.array([
        (kinds[e.kind], -1 if e.through is None else e.through, e.diameter, e.second, e.depth, *e.direction,
         *e.position)
        for e in elements
    ], dtype=np.float64).reshape(len(elements), -1)  # fmt: skip
    left, groups = np.ones(len(elements), dtype=bool), []
    for i, row in enumerate(table):
        if not left[i]:
            continue
        same = left & (table[:, 0] == row[0]) & (table[:, 1] == row[1])
        same &= (np.abs(table[:, 2:5] - row[2:5]) < _LENGTH).all(axis=1)
        rows = np.flatnonzero(same)
        near = table[rows, 5:8] @ row[5:8] > 1 - _ANGLE**2
        near &= np.abs((table[rows, 8:11] - row[8:11]) @ row[5:8]) < _LENGTH
        rows = rows[near]
        left[rows] = False
        groups.append([elements[k] for k in rows])
    return groups


def _places(elements: list[Element]) -> NDArray[np.float64]:
    return np.array([e.position for e in elements])


def _circle(equal: list[Element], centers: list[Element]) -> Pattern | None:
    """Return the largest set of three or more at equal angles about an axis: of another element, or of their own."""
    places, axis = _places(equal), equal[0].direction
    x = np.linalg.svd(axis[None])[2][1]
    y = np.cross(axis, x)
    flat = np.column_stack([places @ x, places @ y])
    own = {id(e) for e in equal}
    others = [c for c in centers if id(c) not in own]
    # A circle through all of them counts if they stand regularly: four at the corners of a rectangle do not.
    middles = flat.mean(axis=0)[None]
    if others:
        along = np.abs(np.array([c.direction for c in others]) @ axis) > 1 - _ANGLE**2
        there = _places(others)[along]
        candidates = np.column_stack([there @ x, there @ y])
        # Only about few centres three of them stand equally far.
        far = np.sort(np.linalg.norm(candidates[:, None] - flat[None], axis=2), axis=1)
        some = (far[:, 2:] - far[:, :-2] < 0.02).any(axis=1) if flat.shape[0] >= 3 else np.zeros(len(far), dtype=bool)
        middles = np.vstack([candidates[some], middles])
    best: list[int] = []
    at = flat.mean(axis=0)
    for middle in middles:
        reach = np.linalg.norm(flat - middle, axis=1)
        radii, counts = np.unique(np.round(reach, 2), return_counts=True)
        for radius in radii[counts >= 3]:
            rows = np.flatnonzero(np.abs(reach - radius) < 0.01)
            if len(rows) >= 3 and len(rows) > len(best) and radius > _LENGTH and _regular(flat[rows] - middle):
                best, at = list(rows), middle
    if not best:
        return None
    angles = np.arctan2(*(flat[best] - at).T[::-1])
    members = tuple(equal[best[i]] for i in np.argsort(np.mod(angles, 2 * np.pi)))
    height = float(places[best[0]] @ axis)
    center = at[0] * x + at[1] * y + height * axis
    return Pattern(PatternKind.CIRCLE, members, center, 2 * float(np.linalg.norm(flat[best] - at, axis=1).mean()))


def _regular(spokes: NDArray[np.float64]) -> bool:
    angles = np.sort(np.arctan2(spokes[:, 1], spokes[:, 0]))
    steps = np.diff(np.append(angles, angles[0] + 2 * np.pi))
    return bool(np.abs(steps - 2 * np.pi / len(steps)).max() < 5 * _ANGLE)


def _line(equal: list[Element]) -> Pattern | None:
    """Return three or more with equal steps on a line."""
    places = _places(equal)
    n = len(equal)
    best: list[int] = []
    # The next one of a line is among the nearest: every row of a grid has its neighbours on eight sides.
    nearest = np.argsort(np.linalg.norm(places[:, None] - places[None], axis=2), axis=1)[:, 1:9]
    for i in range(n):
        for j in nearest[i]:
            step = places[j] - places[i]
            rows = [i]
            while True:
                target = places[i] + len(rows) * step
                near = np.linalg.norm(places - target, axis=1)
                k = int(np.argmin(near))
                if near[k] > _LENGTH * 2:
                    break
                rows.append(k)
            if len(rows) >= 3 and len(rows) > len(best):
                best = rows
    if not best:
        return None
    chosen = places[best]
    return Pattern(
        PatternKind.LINE, tuple(equal[k] for k in best), chosen.mean(axis=0),
        float(np.linalg.norm(chosen[1] - chosen[0])),
    )  # fmt: skip
