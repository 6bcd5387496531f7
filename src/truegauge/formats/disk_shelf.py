"""A shelf on disk: what a part and a scan were prepared to is there when they are opened again.

A file is written whole or not at all, checked when it is read (it begins with the SHA-256 of the rest), and named after
its input and the program's own files: another version finds nothing of it. What cannot be read or written is made anew;
the files not used for longest go when there are too many.
"""

import contextlib
import hashlib
import io
import os
import tempfile
from collections.abc import Callable
from functools import lru_cache
from pathlib import Path

import numpy as np
from platformdirs import user_cache_path

import truegauge
from truegauge.core.shelf import Arrays

_MOST_BYTES = 400_000_000
_DIGEST = 32
_WORKED_OUT_BY = ("cad", "clouds", "registration")  # folders of the core


class DiskShelf:
    """Of one user; several programs may use it at once."""

    def __init__(
        self, folder: Path | None = None, most_bytes: int = _MOST_BYTES, only: frozenset[str] | None = None
    ) -> None:
        """`only` these kinds are kept: a batch sees each scan once."""
        self._folder = folder or user_cache_path("truegauge") / "prepared"
        self._most, self._only = most_bytes, only

    def take(self, what: str, key: str, make: Callable[[], Arrays]) -> Arrays:
        """Return what was made before, else make and keep it."""
        if self._only is not None and what not in self._only:
            return make()
        path = self._folder / f"{what}-{key[:32]}-{_program()}.arrays"
        found = _read(path)
        if found is None:
            found = make()
            self._write(path, found)
        for array in found.values():
            array.setflags(write=False)
        return found

    def _write(self, path: Path, arrays: Arrays) -> None:
        with contextlib.suppress(OSError):
            path.parent.mkdir(parents=True, exist_ok=True)
            handle, temporary = tempfile.mkstemp(dir=path.parent, suffix=".part")
            try:
                with os.fdopen(handle, "wb") as file:
                    packed = io.BytesIO()
                    np.savez(packed, **arrays)  # type: ignore[arg-type]
                    file.write(hashlib.sha256(packed.getvalue()).digest())
                    file.write(packed.getvalue())
                os.replace(temporary, path)
            except OSError:
                Path(temporary).unlink(missing_ok=True)
                raise
            self._make_room()

    def _make_room(self) -> None:
        """Let the files go that were not used for longest, and what a killed program left half-written."""
        files = sorted(((s.st_mtime, s.st_size, p) for p in self._folder.iterdir() if (s := p.stat())), reverse=True)
        total = 0
        for age, size, path in files:
            total += size
            half_written = path.suffix == ".part" and files[0][0] - age > 600
            if total > self._most or half_written:
                path.unlink(missing_ok=True)


def _read(path: Path) -> Arrays | None:
    try:
        whole = path.read_bytes()
        os.utime(path)
    except OSError:
        return None
    said, packed = whole[:_DIGEST], whole[_DIGEST:]
    if hashlib.sha256(packed).digest() != said:
        with contextlib.suppress(OSError):
            path.unlink(missing_ok=True)
        return None
    with np.load(io.BytesIO(packed), allow_pickle=False) as file:
        return {name: file[name] for name in file.files}


@lru_cache(maxsize=1)
def _program() -> str:
    """Return a key of the files that work out what is kept here: it changes with each of them."""
    core = Path(truegauge.__file__).parent / "core"
    digest = hashlib.sha256(f"{truegauge.__version__} {np.__version__}".encode())
    for path in sorted((*core.glob("*.py"), *(p for folder in _WORKED_OUT_BY for p in (core / folder).rglob("*.py")))):
        stat = path.stat()
        digest.update(f"{path.relative_to(core)} {stat.st_size} {stat.st_mtime_ns}".encode())
    return digest.hexdigest()[:12]
