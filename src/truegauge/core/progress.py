"""How long work reports that it is alive, and learns that it is not wanted any more."""

from typing import Protocol


class Progress(Protocol):
    """Called between steps; raises `Cancelled` when the user asked to stop."""

    def __call__(self, fraction: float, text: str = "", /) -> None:
        """Report `fraction` (0 to 1) and what is being done."""


def silent(fraction: float, text: str = "", /) -> None:
    """Report to nobody."""


def part_of(progress: Progress, start: float, end: float) -> Progress:
    """Give a step its share of the way: its 0 to 1 becomes `start` to `end`."""

    def report(fraction: float, text: str = "", /) -> None:
        progress(start + (end - start) * fraction, text)

    return report
