"""A command: declared by its owner, collected by the window."""

from collections.abc import Callable
from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Action:
    """A command: `group` names its menu; `enabled` is asked whenever it may be shown."""

    id: str
    group: str
    title: str
    shortcut: str
    run: Callable[[], object]
    enabled: Callable[[], bool] = lambda: True
    apart: bool = False  # a line stands before it in the menu
    first: bool = False  # it stands at the top of the menu itself too
