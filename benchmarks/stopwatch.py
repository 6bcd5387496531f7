"""Timing shared by the benchmarks."""

import time
from statistics import median


def timed(work, repeats=3):
    """Return the median seconds of a work that has run once before."""
    work()
    times = []
    for _ in range(repeats):
        started = time.perf_counter()
        work()
        times.append(time.perf_counter() - started)
    return median(times)
