"""Points that lie opposite to each other: of a ring through its centre, of two faces across their middle plane.

Touches are paired as they are; nothing is averaged. Where no touch lies opposite, but its neighbours lie close, the
surface between them is taken as straight (in polar coordinates of a ring; over the triangle of neighbours on a plane).
"""

import numpy as np
from numpy.typing import NDArray

from truegauge.core.arrays import Floats, Ints, Points

_NEARLY = 0.25  # of the usual distance between neighbours: as good as opposite
_MOST_TURN = np.radians(5.0)
_CLOSE = np.radians(35.0)  # neighbours on a ring between which its surface may be taken as straight


def opposite_on_ring(angle: Floats, radius: Floats) -> NDArray[np.float64]:
    """Return pairs (m, 3): the angle (rad) of one, its radius, and the radius of the surface opposite to it.

    Parameters
    ----------
    angle, radius : (n,)
        Points of a ring about its centre, rad and mm.
    """
    order = np.argsort(np.mod(angle, 2 * np.pi))
    a, r = np.mod(angle, 2 * np.pi)[order], radius[order]
    n = len(a)
    if n < 2:
        return np.zeros((0, 3))
    gaps = np.diff(a, append=a[0] + 2 * np.pi)
    near = min(_NEARLY * float(np.median(gaps)), _MOST_TURN)
    found: dict[tuple[int, int], tuple[float, float, float]] = {}
    for i in range(n):
        wanted = (a[i] + np.pi) % (2 * np.pi)
        after = int(np.searchsorted(a, wanted)) % n
        before = (after - 1) % n
        ahead, behind = (a[after] - wanted) % (2 * np.pi), (wanted - a[before]) % (2 * np.pi)
        j = after if ahead <= behind else before
        if min(ahead, behind) <= near and j != i:
            found.setdefault((min(i, j), max(i, j)), (float(a[i]), float(r[i]), float(r[j])))
        elif ahead + behind <= _CLOSE and i not in (before, after):
            share = behind / (ahead + behind)
            found[i, -1] = (float(a[i]), float(r[i]), float(r[before] + share * (r[after] - r[before])))
    return np.array(list(found.values()), dtype=np.float64).reshape(-1, 3)


def opposite_on_ball(toward: Points, length: Floats) -> Floats:
    """Return distances (m,) through the centre between touches of a ball; directions (n, 3) unit, lengths (n,) mm."""
    cosine = toward @ toward.T
    np.fill_diagonal(cosine, -1.0)
    spacing = float(np.median(np.arccos(np.clip(cosine.max(axis=1), -1, 1))))
    np.fill_diagonal(cosine, 1.0)
    partner = cosine.argmin(axis=1)
    turn = np.arccos(np.clip(-cosine.min(axis=1), -1, 1))
    near = turn <= min(_NEARLY * spacing, _MOST_TURN)
    rows = [i for i in np.flatnonzero(near) if i < partner[i] or partner[partner[i]] != i]
    return np.asarray(length[rows] + length[partner[rows]])


def opposite_on_faces(above: Points, below: Points) -> tuple[Points, Points]:
    """Return places (m, 3) on one face and what lies opposite (m, 3) on the other; x and y lie in their middle plane.

    Mutually nearest touches that lie opposite each other but for a little are pairs. For others the height of the
    other face is taken from the triangle of its touches around the place; outside of these there is none.
    """
    one, other = _paired(above, below)
    pieces = [(above[one], below[other])]
    single_above = np.setdiff1d(np.arange(len(above)), one)
    single_below = np.setdiff1d(np.arange(len(below)), other)
    pieces.append(_between(above[single_above], below))
    swapped = _between(below[single_below], above)
    pieces.append((swapped[1], swapped[0]))
    return np.vstack([p[0] for p in pieces]), np.vstack([p[1] for p in pieces])


def _paired(above: Points, below: Points) -> tuple[Ints, Ints]:
    from scipy.spatial import cKDTree

    to_below, which = cKDTree(below[:, :2]).query(above[:, :2])
    _, back = cKDTree(above[:, :2]).query(below[:, :2])
    spacing = np.inf
    for side in (above, below):
        if len(side) > 1:
            spacing = min(spacing, float(np.median(cKDTree(side[:, :2]).query(side[:, :2], k=2)[0][:, 1])))
    mutual = back[which] == np.arange(len(above))
    near = mutual & (to_below <= _NEARLY * spacing)
    return np.flatnonzero(near), which[near]


def _between(places: Points, face: Points) -> tuple[Points, Points]:
    """Return places that lie over a face's touches, and the face there, straight between its touches."""
    nothing = np.zeros((0, 3))
    if len(places) == 0 or len(face) < 3:
        return nothing, nothing
    from scipy.spatial import Delaunay, QhullError

    try:
        mesh = Delaunay(face[:, :2])
    except QhullError:
        return nothing, nothing
    simplex = mesh.find_simplex(places[:, :2])
    inside = simplex >= 0
    rows = simplex[inside]
    at = places[inside]
    transform = mesh.transform[rows]
    first = np.einsum("nij,nj->ni", transform[:, :2], at[:, :2] - transform[:, 2])
    share = np.column_stack([first, 1 - first.sum(axis=1)])
    sound = np.isfinite(share).all(axis=1)
    height = np.einsum("ni,ni->n", share, face[mesh.simplices[rows], 2])
    return at[sound], np.column_stack([at[sound, :2], height[sound]])
