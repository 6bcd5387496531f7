"""A short way through many things, each once: local search that goes on from its best, over a table of costs.

Or-opt and 2-opt moves (Or 1976; Croes 1958) on an asymmetric path, taken where they gain, then a random exchange of
neighbouring pieces and again (iterated local search: Lourenco, Martin, Stuetzle 2003). What must not be split or come
later is told by costs so high that no way with fewer breaches is ever left for one with more.
"""

import numba
import numpy as np

from truegauge.core.arrays import Floats, Ints, Mask

_NEAR = 14  # of the cheapest neighbours that are tried
_PIECES = np.array([1, 2, 3, 4, 6, 8, 12, 18, 27, 40, 60])  # things in a piece that is moved as a whole
# s: less is no gain. What high costs leave of digits in sums over thousands of things stays below it: else a move and
# its reverse could both seem to gain, for ever.
_GAIN = 1e-4
_KICK = 40  # things within which pieces are exchanged


class OrderSearch:
    """The search for a short order of `n` things.

    Parameters
    ----------
    costs : (n, n) float64
        From one thing to another, s.
    start, end : (n,) float64
        From the beginning to a thing, and from it to the end.
    order : (n,) int64
        Where it begins.
    fixed : (n,) bool
        Places whose things stay there.
    """

    def __init__(
        self, costs: Floats, start: Floats, end: Floats, order: Ints, fixed: np.ndarray, seed: int = 1
    ) -> None:
        n = len(order)
        # One more thing at each end makes all moves alike.
        table = np.zeros((n + 2, n + 2))
        table[:n, :n] = costs
        table[n, :n], table[:n, n + 1] = start, end
        self._table = np.ascontiguousarray(table)
        self._whole = np.concatenate([[n], order, [n + 1]]).astype(np.int64)
        self._fixed = np.concatenate([[True], np.asarray(fixed, dtype=bool), [True]])
        self._near = _neighbours(costs)
        self._state = np.array([seed], dtype=np.uint64)
        self.best = self._length()
        self._polish()

    def _length(self) -> float:
        return float(self._table[self._whole[:-1], self._whole[1:]].sum())

    @property
    def order(self) -> Ints:
        """The best order so far, (n,)."""
        return np.asarray(self._whole[1:-1].copy())

    def _polish(self) -> None:
        if len(self._whole) > 3:
            everywhere = np.ones(len(self._whole), dtype=np.bool_)
            _descend(self._whole, self._table, self._fixed, self._near, everywhere)
            self.best = self._length()

    def go_on(self, rounds: int) -> bool:
        """Search for some rounds more; tells whether the order got better."""
        before = self.best
        if len(self._whole) > 4:
            self.best = _search(self._whole, self._table, self._fixed, self._near, rounds, self._state)
        return self.best < before - _GAIN


def _neighbours(costs: Floats) -> Ints:
    """Return for each thing those that it is cheapest to go to, or to come from, (n, k)."""
    n = len(costs)
    both = np.minimum(costs, costs.T).copy()
    np.fill_diagonal(both, np.inf)
    k = min(_NEAR, max(n - 1, 1))
    return np.ascontiguousarray(np.argsort(both, axis=1, kind="stable")[:, :k])


@numba.njit(cache=True)
def _sums(order: Ints, table: Floats, forth: Floats, back: Floats) -> None:
    """Add up the costs along the order, forth and back."""
    forth[0] = back[0] = 0.0
    for k in range(1, len(order)):
        forth[k] = forth[k - 1] + table[order[k - 1], order[k]]
        back[k] = back[k - 1] + table[order[k], order[k - 1]]


@numba.njit(cache=True)
def _reverse(order: Ints, place: Ints, i: int, j: int) -> None:
    while i < j:
        order[i], order[j] = order[j], order[i]
        place[order[i]], place[order[j]] = i, j
        i += 1
        j -= 1
    if i == j:
        place[order[i]] = i


@numba.njit(cache=True)
def _move(order: Ints, place: Ints, i: int, j: int, k: int, turned: bool) -> None:
    """Move the piece i..j to behind place k (outside of it)."""
    size = j - i + 1
    piece = order[i : j + 1].copy()
    if turned:
        piece = piece[::-1].copy()
    if k > j:
        for m in range(j + 1, k + 1):
            order[m - size] = order[m]
            place[order[m - size]] = m - size
        first = k - size + 1
    else:
        for m in range(i - 1, k, -1):
            order[m + size] = order[m]
            place[order[m + size]] = m + size
        first = k + 1
    for m in range(size):
        order[first + m] = piece[m]
        place[piece[m]] = first + m


@numba.njit(cache=True)
def _free_to(fixed: Mask, i: int, j: int) -> bool:
    """Tell whether nothing between two places (both counted) is fixed."""
    return not fixed[i : j + 1].any()


@numba.njit(cache=True)
def _gain_at(
    order: Ints, place: Ints, table: Floats, fixed: Mask, near: Ints, forth: Floats, back: Floats, c: int
) -> tuple[float, int, int, int, int, bool]:  # fmt: skip
    """Return the best move around a thing: (gain, kind, i, j, k, turned)."""
    best, kind, bi, bj, bk, bt = _GAIN, 0, 0, 0, 0, False
    n = len(order)
    p = place[c]
    for m in range(near.shape[1]):
        q = place[near[c, m]]
        # 2-opt: the piece between them is turned, so that they are neighbours.
        for side in range(2):
            i, j = (min(p, q) + 1, max(p, q)) if side == 0 else (min(p, q), max(p, q) - 1)
            if i < 1 or j > n - 2 or i >= j or not _free_to(fixed, i, j):
                continue
            a, b = order[i - 1], order[j + 1]
            was = table[a, order[i]] + table[order[j], b] + forth[j] - forth[i]
            now = table[a, order[j]] + table[order[i], b] + back[j] - back[i]
            if was - now > best:
                best, kind, bi, bj, bk, bt = was - now, 1, i, j, 0, False
        # Or-opt: a piece that ends (or begins) with one of them moves to beside the other.
        for size in _PIECES:
            tried = False
            for way in range(2):
                i, j = (p, p + size - 1) if way == 0 else (p - size + 1, p)
                if i < 1 or j > n - 2 or i <= q <= j:
                    continue
                tried = True
                for after in range(2):
                    k = q if after == 0 else q - 1
                    if k < 0 or k > n - 2 or i - 1 <= k <= j:
                        continue
                    low, high = (i, k) if k > j else (k + 1, j)
                    if not _free_to(fixed, low, high):
                        continue
                    a, b = order[i - 1], order[j + 1]
                    out = table[a, order[i]] + table[order[j], b] - table[a, b]
                    u, v = order[k], order[k + 1]
                    straight = table[u, order[i]] + table[order[j], v] - table[u, v]
                    turned = table[u, order[j]] + table[order[i], v] - table[u, v]
                    turned += (back[j] - back[i]) - (forth[j] - forth[i])
                    if out - straight > best:
                        best, kind, bi, bj, bk, bt = out - straight, 2, i, j, k, False
                    if out - turned > best:
                        best, kind, bi, bj, bk, bt = out - turned, 2, i, j, k, True
            if not tried:
                break
        # Two things change places: the only way past what is fixed.
        if p != q and not fixed[p] and not fixed[q] and abs(p - q) > 1:
            x, y = order[p], order[q]
            was = table[order[p - 1], x] + table[x, order[p + 1]] + table[order[q - 1], y] + table[y, order[q + 1]]
            now = table[order[p - 1], y] + table[y, order[p + 1]] + table[order[q - 1], x] + table[x, order[q + 1]]
            if was - now > best:
                best, kind, bi, bj, bk, bt = was - now, 3, p, q, 0, False
    return best, kind, bi, bj, bk, bt


@numba.njit(cache=True)
def _descend(order: Ints, table: Floats, fixed: Mask, near: Ints, open_ones: Mask) -> float:
    """Take moves that gain, around the things that are open (by number), until there are none."""
    n = len(order)
    place = np.zeros(n, dtype=np.int64)
    for k in range(n):
        place[order[k]] = k
    forth, back = np.zeros(n), np.zeros(n)
    _sums(order, table, forth, back)
    todo = [c for c in range(n - 2) if open_ones[c]]
    while len(todo):
        c = todo.pop()
        open_ones[c] = False
        if fixed[place[c]]:
            continue
        _, kind, i, j, k, turned = _gain_at(order, place, table, fixed, near, forth, back, c)
        if kind == 0:
            continue
        ends = (order[i - 1], order[i], order[j], order[j + 1], order[k], order[min(k + 1, n - 1)])
        if kind == 1:
            _reverse(order, place, i, j)
        elif kind == 2:
            _move(order, place, i, j, k, turned)
        else:
            order[i], order[j] = order[j], order[i]
            place[order[i]], place[order[j]] = i, j
        _sums(order, table, forth, back)
        for e in ends:
            if e < n - 2 and not open_ones[e]:
                open_ones[e] = True
                todo.append(e)
        if not open_ones[c]:
            open_ones[c] = True
            todo.append(c)
    return float(forth[n - 1])


@numba.njit(cache=True)
def _random(state: np.ndarray, below: int) -> int:
    """Return a number from 0 to below, by xorshift (Marsaglia 2003)."""
    x = state[0]
    x ^= x << np.uint64(13)
    x ^= x >> np.uint64(7)
    x ^= x << np.uint64(17)
    state[0] = x
    return int((x >> np.uint64(11)) % np.uint64(below))


@numba.njit(cache=True)
def _search(order: Ints, table: Floats, fixed: Mask, near: Ints, rounds: int, state: np.ndarray) -> float:
    """Exchange two neighbouring pieces at random, descend, keep what is no longer; returns the length."""
    n = len(order)
    best = 0.0
    for k in range(n - 1):
        best += table[order[k], order[k + 1]]
    open_ones = np.zeros(n, dtype=np.bool_)
    place = np.zeros(n, dtype=np.int64)
    pinned = fixed[1 : n - 1].any()
    for _ in range(rounds):
        tried = order.copy()
        if pinned and _random(state, 2) == 0:
            # Past what is fixed: some things change places round about.
            a = b = c = -1
            for _try in range(30):
                x = 1 + _random(state, n - 2)
                if fixed[x] or x in (a, b):
                    continue
                a, b, c = b, c, x
            if a < 1 or b == c or a in (b, c):
                continue
            tried[a], tried[b], tried[c] = order[c], order[a], order[b]
            touched = (a - 1, a, b - 1, b, c - 1, c, a + 1, b + 1, c + 1)
        else:
            span = min(_KICK, n - 2)
            first = 1 + _random(state, max(1, n - 1 - span))
            a = first + _random(state, span)
            b = first + _random(state, span)
            c = first + _random(state, span)
            i, k = min(a, b, c), max(a, b, c)
            j = a + b + c - i - k
            if i == j or j == k or k > n - 2 or not _free_to(fixed, i, k):
                continue
            # i..j-1 and j..k change places.
            size = k - j + 1
            for m in range(size):
                tried[i + m] = order[j + m]
            for m in range(j - i):
                tried[i + size + m] = order[i + m]
            touched = (i - 1, i, i + size - 1, i + size, k, k + 1, i, i, i)
        for m in range(n):
            place[tried[m]] = m
        for m in touched:
            if tried[m] < n - 2:
                open_ones[tried[m]] = True
        now = _descend(tried, table, fixed, near, open_ones)
        if now < best + 1e-9:
            best = min(best, now) if now > best else now
            order[:] = tried
    return best
