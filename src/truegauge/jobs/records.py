"""What is written down about each scan of a batch, so that an interrupted batch goes on where it stopped."""

import json
import re
from dataclasses import asdict, dataclass, field
from pathlib import Path
from typing import Any

from truegauge.core.errors import FormatError
from truegauge.formats.files import make_folder, write_whole

FOLDER = "records"
_VERSION = 1


@dataclass(frozen=True, slots=True)
class Earlier:
    """The scan that surface checks of a plan measure from, and the unit that it is read in."""

    scan: Path
    unit: str = ""

    def checked(self) -> "Earlier":
        """Return it if there is such a file.

        Raises
        ------
        FormatError
            There is none.
        """
        if not self.scan.is_file():
            raise FormatError(self.scan, "there is no such file to measure from; check the name")
        return self

    @property
    def key(self) -> str:
        """What tells one state of it from another."""
        return f"{scan_key(self.scan)}:{self.unit}"


@dataclass(frozen=True, slots=True)
class Record:
    """The end of one scan: `results` is its results document (docs/formats.md), None when it failed by `reason`.

    `key` tells plan, scan and outputs apart: a record with another key is not of this batch.
    """

    name: str
    scan: str
    key: str
    reason: str = ""
    results: dict[str, Any] | None = None
    outputs: tuple[str, ...] = ()
    seconds: float = 0.0
    peak_mb: float = 0.0
    counts: dict[str, int] = field(default_factory=dict)

    @property
    def failed(self) -> bool:
        """Whether there are no results."""
        return self.results is None

    @property
    def is_bad(self) -> bool:
        """Whether somebody should look at it: it failed, or something is outside."""
        return self.failed or bool(self.counts.get("outside"))

    @property
    def words(self) -> str:
        """Say what came of it."""
        if self.failed:
            return self.reason.removeprefix(f"{Path(self.scan).name}: ")
        words = {"within": "within", "near": "near a limit", "outside": "outside", "undecided": "not decided yet",
                 "not_measured": "not measured"}  # fmt: skip
        return ", ".join(f"{n} {words.get(k, k)}" for k, n in self.counts.items() if n)


def write_record(folder: Path, record: Record) -> None:
    """Keep a record beside the outputs."""
    place = folder / FOLDER
    make_folder(place)
    document = {"schema_version": _VERSION, **asdict(record)}
    write_whole(place / f"{record.name}.json", json.dumps(document, indent=1).encode())


def read_record(folder: Path, name: str) -> Record | None:
    """Return the record of a scan; None when there is none, or none that can be read: then the scan is done again."""
    try:
        document = json.loads((folder / FOLDER / f"{name}.json").read_text(encoding="utf-8"))
    except (OSError, ValueError):
        return None
    if not isinstance(document, dict) or document.pop("schema_version", None) != _VERSION:
        return None
    try:
        record = Record(**{**document, "outputs": tuple(document.get("outputs", ()))})
    except TypeError:
        return None
    there = isinstance(record.key, str) and (record.results is None or isinstance(record.results, dict))
    return record if there else None


def scan_key(path: Path) -> str:
    """Return what tells one state of a file from another without reading it all."""
    try:
        status = path.stat()
    except OSError:
        return "missing"
    return f"{path.name}:{status.st_size}:{status.st_mtime_ns}"


def output_names(scans: list[Path], pattern: str, plan_name: str) -> list[str]:
    """Return a name for the outputs of each scan: `pattern` with {scan}, {plan} and {number}; no two the same.

    Raises
    ------
    FormatError
        The pattern has another field, or names a folder.
    """
    names: list[str] = []
    for k, scan in enumerate(scans):
        try:
            name = pattern.format(scan=scan.stem, plan=plan_name, number=f"{k + 1:03}")
        except (KeyError, IndexError, ValueError):
            raise FormatError(Path(pattern), "a name is made of {scan}, {plan} and {number}") from None
        name = re.sub(r"[^\w\-. +]", "_", name).strip(" .") or f"scan-{k + 1}"
        free, n = name, 2
        while free.casefold() in {o.casefold() for o in names}:
            free, n = f"{name}-{n}", n + 1
        names.append(free)
    return names
