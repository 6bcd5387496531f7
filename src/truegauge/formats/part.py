"""Parts from files: CAD files are checked, read by the CAD kernel in a child process, and cached by content."""

import os
import tempfile
from collections.abc import Callable
from pathlib import Path

from platformdirs import user_cache_path

from truegauge.core.cad.model import CadModel
from truegauge.core.errors import FormatError
from truegauge.core.progress import Progress, silent
from truegauge.formats.cad_arrays import model_from_file
from truegauge.formats.files import read_bytes, temporary_folder
from truegauge.formats.guard import read_in_child
from truegauge.formats.nominal_csv import part_from_csv
from truegauge.formats.part_kinds import CAD_KINDS, NOMINAL_ENDING, PART_ENDINGS, part_key
from truegauge.formats.sections_csv import names_sections, sections_from_csv

_KEPT = 40  # parts in the cache
_START = b"ISO-10303-21;"
_END = b"END-ISO-10303-21;"
_IGES_LINE = 80


def read_part(path: Path, *, progress: Progress = silent) -> CadModel:
    """Read the part from a STEP or IGES file, or from a table (CSV) of nominal features or of sections of an aerofoil.

    Lengths of CAD files are converted to mm by the unit in the file.

    Raises
    ------
    FormatError
        No such file, cut off, damaged, or without faces.
    """
    data = read_bytes(path)
    ending = path.suffix.lower()
    kind = CAD_KINDS.get(ending)
    if ending == NOMINAL_ENDING:
        if not names_sections(data[:2000].decode("utf-8-sig", errors="replace").split("\n", 1)[0]):
            return part_from_csv(path, data, part_key(data))
        sections_from_csv(path, data)  # what is wrong with it is said before the kernel sees it
    elif kind is None:
        raise FormatError(path, f"a part cannot be read from this kind of file; use one of {', '.join(PART_ENDINGS)}")
    else:
        _CHECKS[kind](path, data)
    stored = _cache_folder() / f"{part_key(data)}.npz"
    if stored.exists():
        try:
            return _checked(path, model_from_file(stored))
        except (ValueError, FormatError):
            stored.unlink(missing_ok=True)
    with temporary_folder() as folder:
        out = folder / "part.npz"
        read_in_child("part", path, out, progress=progress)
        try:
            model = _checked(path, model_from_file(out))
        except ValueError as error:
            raise FormatError(path, "the file is damaged (nothing usable was read); export it again") from error
        _store(out, stored)
    return model


def check_step(path: Path, data: bytes) -> None:
    """Refuse what is no STEP file, or only the beginning of one."""
    if _START not in data[:2048]:
        raise FormatError(
            path, f"this is not a STEP file (it does not begin with {_START.decode()}); open a .step file"
        )
    if _END not in data[-4096:]:
        raise FormatError(path, "the STEP file is cut off (its end mark is missing); copy or export it again")


def check_iges(path: Path, data: bytes) -> None:
    """Compare the number of lines in each section with what the last line (section T) promises."""
    lines = data.splitlines()
    sections = [line[72:73] for line in lines if line.strip(b"\x1a \r\n")]
    if not sections or sections[0] != b"S" or b"D" not in sections:
        raise FormatError(path, "this is not an IGES file (its first section is missing); open an .igs file")
    if sections[-1] != b"T":
        raise FormatError(path, "the IGES file is cut off (its last section is missing); copy or export it again")
    last = next(line for line in reversed(lines) if line.strip(b"\x1a \r\n"))
    for k, letter in enumerate((b"S", b"G", b"D", b"P")):
        field = last[8 * k : 8 * k + 8]
        try:
            if field[:1] != letter:
                raise ValueError
            promised = int(field[1:])
        except ValueError:
            raise FormatError(
                path, f"line {len(lines)}: the counts of the last section are damaged; export it again"
            ) from None
        there = sections.count(letter)
        if promised != there:
            raise FormatError(
                path,
                f"section {letter.decode()} has {there:,} lines, {promised:,} are promised; copy or export it again",
            )


_CHECKS: dict[str, Callable[[Path, bytes], None]] = {"step": check_step, "iges": check_iges}


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
        try:
            with os.fdopen(handle, "wb") as file:
                file.write(out.read_bytes())
            os.replace(temporary, stored)
        except OSError:
            Path(temporary).unlink(missing_ok=True)
            raise
        old = sorted(stored.parent.glob("*.npz"), key=lambda p: p.stat().st_mtime, reverse=True)[_KEPT:]
        for file_path in old:
            file_path.unlink(missing_ok=True)
    except OSError:
        return
