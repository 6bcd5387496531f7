"""A scan that is being taken, kept on disk every few seconds: a program that is killed loses nothing confirmed."""

from __future__ import annotations

import json
import logging
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np
from platformdirs import user_state_path

from truegauge.core.errors import FormatError
from truegauge.formats.files import write_whole
from truegauge.formats.owned_folder import OwnedFolder, make_owned, take_abandoned

if TYPE_CHECKING:
    from truegauge.core.arrays import Points

log = logging.getLogger(__name__)
_POINTS, _ABOUT = "points.npy", "about.json"


def kept_folder() -> Path:
    """Return where scans that are being taken are kept."""
    return user_state_path("truegauge") / "scanning"


@dataclass(frozen=True, slots=True)
class KeptScan:
    """Points of a scan that a program has left: whose coordinates they are in, and how far apart."""

    folder: OwnedFolder
    device: str
    name: str
    count: int

    def points(self) -> Points:
        """Return them, (n, 3) mm (FormatError: they cannot be read)."""
        path = self.folder.path / _POINTS
        try:
            found = np.load(path, allow_pickle=False)
            if found.ndim != 2 or found.shape[1] != 3 or found.dtype != np.float64 or not np.isfinite(found).all():
                raise ValueError("these are no points")
        except (OSError, ValueError, EOFError) as error:
            raise FormatError(path, f"the scan that was kept cannot be read ({error})") from error
        return np.asarray(found)


class ScanKeeper:
    """Of one scan; its folder is locked while its program lives."""

    def __init__(self, device: str, name: str) -> None:
        self._device, self._name = device, name
        self._folder: OwnedFolder | None = None

    def keep(self, points: Points) -> None:
        """Write the points (n, 3) as they are now, whole or not at all.

        Raises
        ------
        FormatError
            They cannot be written; what was kept before is there.
        """
        try:
            if self._folder is None:
                self._folder = make_owned(kept_folder(), "scan-")
            partial = self._folder.path / f".{_POINTS}"
            with partial.open("wb") as stream:
                np.save(stream, points, allow_pickle=False)
            partial.replace(self._folder.path / _POINTS)
        except OSError as error:
            raise FormatError(kept_folder(), f"the scan cannot be kept safe ({error.strerror})") from error
        about = {"device": self._device, "name": self._name, "count": len(points)}
        write_whole(self._folder.path / _ABOUT, json.dumps(about).encode())

    def end(self) -> None:
        """Take it away: the scan is in the sample, or was thrown away."""
        if self._folder is not None:
            self._folder.remove()
            self._folder = None


def find_kept_scans() -> list[KeptScan]:
    """Return scans of programs that are gone; nobody else can take them while these are held."""
    found = []
    for own in take_abandoned(kept_folder()):
        try:
            about = json.loads((own.path / _ABOUT).read_bytes())
            found.append(KeptScan(own, str(about["device"]), str(about["name"]), int(about["count"])))
        except FileNotFoundError:  # ended before there was anything
            own.remove()
        except (OSError, ValueError, KeyError, TypeError):
            log.warning("%s holds a scan that cannot be read; it is left there", own.path, exc_info=True)
            own.release()
    return found
