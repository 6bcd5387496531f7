"""Records of machines: where the reference sphere was located, and the qualifications of the styli, as JSON.

One file for each machine: what was learnt on one must never move another one.
"""

from pathlib import Path

from platformdirs import user_state_path

from truegauge.core.probing.records import MachineRecord
from truegauge.formats.record_file import read_record, record_file, write_record

__all__ = ["read_machine", "record_file", "record_folder", "write_machine"]
SCHEMA_VERSION = 4


def record_folder() -> Path:
    """Return where the records of machines are kept."""
    return user_state_path("truegauge") / "machines"


def read_machine(path: Path, machine: str) -> MachineRecord:
    """Return what is known about a machine; nothing when there is no file yet.

    Raises
    ------
    FormatError
        Damaged, of another machine, or from a newer version.
    """
    return read_record(path, MachineRecord, "machine", machine, SCHEMA_VERSION)


def write_machine(path: Path, record: MachineRecord, machine: str) -> None:
    """Save what is known about a machine (FormatError: the disk is full, ...)."""
    write_record(path, record, "machine", machine, SCHEMA_VERSION)
