"""Pictures from files and folders, one after the other as they are asked for."""

from __future__ import annotations

from typing import TYPE_CHECKING

from truegauge.core.errors import DeviceError, TrueGaugeError
from truegauge.devices.camera.source import Source, Taken
from truegauge.formats.pictures import pictures_in, read_picture

if TYPE_CHECKING:
    from pathlib import Path


class PictureFiles(Source):
    """The pictures of a folder, or one; each is shown until the next is asked for."""

    is_live = False

    def __init__(self, path: Path) -> None:
        super().__init__(path.name)
        self._path = path
        self._files: list[Path] = []
        self.at = -1

    @property
    def identity(self) -> str:
        """Nobody knows which camera took them."""
        return ""

    @property
    def count(self) -> int:
        """How many there are."""
        return len(self._files)

    def connect(self) -> None:
        """Find them, and show the first.

        Raises
        ------
        DeviceError
            There is none, or the first cannot be read.
        """
        try:
            self._files = pictures_in(self._path)
            self._say(is_open=True)
            self.show(0)
        except TrueGaugeError as error:
            raise DeviceError(str(error)) from error

    def show(self, at: int) -> None:
        """Show the picture of a number, from 0.

        Raises
        ------
        FormatError
            It cannot be read.
        """
        if 0 <= at < len(self._files):
            self.at = at
            path = self._files[at]
            self._offer(Taken(at + 1, read_picture(path), path.name))

    def close(self) -> None:
        """Nothing is held."""
        self._say(is_open=False)
