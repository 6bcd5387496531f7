"""Sections whose mean line, thickness and edges are known."""

import numpy as np


def arc(center, radius, start, end, step):
    a = np.linspace(start, end, max(12, int(abs(end - start) * radius / step)))
    return np.asarray(center) + radius * np.column_stack([np.cos(a), np.sin(a)])


def line(a, b, step):
    t = np.linspace(0, 1, max(3, int(np.linalg.norm(b - a) / step)))[1:-1, None]
    return a + (b - a) * t


def two_circles(long, leading, trailing, step=0.05):
    """Two circles on a straight line, and their tangents."""
    half = np.pi / 2 - np.arcsin((leading - trailing) / long)
    right = arc((long, 0), trailing, -half, half, step)
    left = arc((0, 0), leading, half, 2 * np.pi - half, step)
    return np.vstack([right, line(right[-1], left[0], step), left, line(left[-1], right[0], step)])


def bent(radius, turn, thick, step=0.05):
    """As thick everywhere, round at its ends, along an arc of a radius about the origin from angle 0 to `turn`."""
    r = thick / 2
    first, last = radius * np.array([1.0, 0.0]), radius * np.array([np.cos(turn), np.sin(turn)])
    return np.vstack([
        arc((0, 0), radius + r, 0, turn, step), arc(last, r, turn, turn + np.pi, step)[1:-1],
        arc((0, 0), radius - r, turn, 0, step), arc(first, r, np.pi, 2 * np.pi, step)[1:-1],
    ])  # fmt: skip


def naca(code, count=1500):
    """The public four-digit sections, 100 long, with a closed trailing edge."""
    m, p, t = int(code[0]) / 100, int(code[1]) / 10, int(code[2:]) / 100
    x = (1 - np.cos(np.linspace(0, np.pi, count))) / 2
    half = 5 * t * (0.2969 * np.sqrt(x) - 0.1260 * x - 0.3516 * x**2 + 0.2843 * x**3 - 0.1036 * x**4)
    y, slope = np.zeros(count), np.zeros(count)
    if m:
        ahead = x < p
        y = np.where(ahead, m / p**2 * (2 * p * x - x**2), m / (1 - p) ** 2 * (1 - 2 * p + 2 * p * x - x**2))
        slope = np.where(ahead, 2 * m / p**2 * (p - x), 2 * m / (1 - p) ** 2 * (p - x))
    a = np.arctan(slope)
    upper = np.column_stack([x - half * np.sin(a), y + half * np.cos(a)])
    lower = np.column_stack([x + half * np.sin(a), y - half * np.cos(a)])
    return 100 * np.vstack([upper[::-1], lower[1:-1]]), 200 * half.max()


def posed(points, seed):
    """Return points turned, shifted, begun somewhere else and maybe backwards; and how to bring places back."""
    rng = np.random.default_rng(seed)
    a = rng.uniform(0, 2 * np.pi)
    turn, shift = np.array([[np.cos(a), -np.sin(a)], [np.sin(a), np.cos(a)]]), rng.uniform(-300, 300, 2)
    made = np.roll(points @ turn.T + shift, int(rng.integers(len(points))), axis=0)
    return made[:: int(rng.choice([1, -1]))], lambda places: (places - shift) @ turn
