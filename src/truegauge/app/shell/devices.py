"""Devices plug in: what each is called, and how a window gets one."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from truegauge.app.shell.shell import Shell
from truegauge.devices.protocol import PointDevice


@dataclass(frozen=True, slots=True, kw_only=True)
class DeviceKind:
    """A kind of device that points are measured with. `open` returns None where there is none now."""

    key: str
    title: str
    is_there: Callable[[Shell], bool]
    open: Callable[[Shell], PointDevice | None]


DEVICES: dict[str, DeviceKind] = {}


def register_device(kind: DeviceKind) -> None:
    """Add a kind at the end, for the windows that are built from now on: the first that is there is offered first."""
    if kind.key in DEVICES:
        raise ValueError(f"there is a device {kind.key!r} already")
    DEVICES[kind.key] = kind
