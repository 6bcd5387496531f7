"""STEP files: checked, read by the CAD kernel in a child process, cached by content."""

import os
import tempfile
from pathlib import Path

from platformdirs import user_cache_path

from truegauge.core.cad.model import CadModel
from truegauge.core.errors import FormatError
from truegauge.core.progress import Progress, silent
from truegauge.formats.cad_arrays import VERSION, model_from_file
from truegauge.formats.files import content_key, read_bytes
from truegauge.formats.guard import read_in_child

_KEPT = 40  # parts in the cache
_START = b"ISO-10303-21;"
_END = b"END-ISO-10303-21;"


def read_step(path: Path, *, progress: Progress = silent) -> CadModel:
    """Read the part from a STEP file; lengths are converted to mm by the units in the file.

    Raises
    ------
    FormatError
        No STEP file, cut off, damaged, or without faces.
    """
    data = read_bytes(path)
    if _START not in data[:2048]:
        raise FormatError(
            path, f"this is not a STEP file (it does not begin with {_START.decode()}); open a .step file"
        )
    if _END not in data[-4096:]:
        raise FormatError(path, "the STEP file is cut off (its end mark is missing); copy or export it again")
    key = f"{content_key(data)}-{VERSION}"
    stored = _cache_folder() / f"{key}.npz"
    if stored.exists():
        try:
            return _checked(path, model_from_file(stored))
        except (ValueError, FormatError):
            stored.unlink(missing_ok=True)
    with tempfile.TemporaryDirectory() as folder:
        out = Path(folder) / "part.npz"
        read_in_child("truegauge.formats.step_child", path, out, progress=progress)
        try:
            model = _checked(path, model_from_file(out))
        except ValueError as error:
            raise FormatError(path, "the file is damaged (nothing usable was read); export it again") from error
        _store(out, stored)
    return model


def part_key(data: bytes) -> str:
    """Return the key that `read_step` gives to a file of this content."""
    return f"{content_key(data)}-{VERSION}"


def _checked(path: Path, model: CadModel) -> CadModel:
    """Refuse what a damaged file can turn into: no size, or a size beyond any part."""
    if not 1e-3 < model.diagonal < 1e6:
        raise FormatError(path, f"the part measures {model.diagonal:g} mm across; check the units of the export")
    return model


def _cache_folder() -> Path:
    return user_cache_path("truegauge") / "parts"


def _store(out: Path, stored: Path) -> None:
    """Keep the arrays for the next time; a cache that cannot be written is no error."""
    try:
        stored.parent.mkdir(parents=True, exist_ok=True)
        handle, temporary = tempfile.mkstemp(dir=stored.parent)
        with os.fdopen(handle, "wb") as file:
            file.write(out.read_bytes())
        os.replace(temporary, stored)
        old = sorted(stored.parent.glob("*.npz"), key=lambda p: p.stat().st_mtime, reverse=True)[_KEPT:]
        for file_path in old:
            file_path.unlink(missing_ok=True)
    except OSError:
        return
