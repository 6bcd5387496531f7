"""Records of machines: where the reference sphere was located, and the qualifications of the styli, as JSON.

One file for each machine: what was learnt on one must never move another one.
"""

import hashlib
import json
import re
from pathlib import Path

from platformdirs import user_state_path
from pydantic import ValidationError

from truegauge.core.errors import FormatError
from truegauge.core.probing.records import MachineRecord
from truegauge.formats.files import read_bytes, write_whole
from truegauge.formats.json_object import object_of_json, require_version
from truegauge.formats.plan_file import plain

SCHEMA_VERSION = 4


def record_folder() -> Path:
    """Return where the records of machines are kept."""
    return user_state_path("truegauge") / "machines"


def record_file(folder: Path, machine: str) -> Path:
    """Return where what is known about a machine is kept."""
    words = re.sub(r"[^A-Za-z0-9.]+", "-", machine).strip("-.")[:40]
    return folder / f"{words}-{hashlib.sha256(machine.encode()).hexdigest()[:10]}.json"


def read_machine(path: Path, machine: str) -> MachineRecord:
    """Return what is known about a machine; nothing when there is no file yet.

    Raises
    ------
    FormatError
        Damaged, of another machine, or from a newer version.
    """
    if not path.exists():
        return MachineRecord()
    document = object_of_json(path, read_bytes(path), "the record of the machine")
    require_version(path, document, SCHEMA_VERSION, "the record of the machine")
    del document["schema_version"]
    if document.pop("machine", None) != machine:
        raise FormatError(path, f"this is not the record of {machine}: nothing of it is used")
    try:
        return MachineRecord.model_validate_json(json.dumps(document))
    except ValidationError as error:
        raise FormatError(path, f"the record of the machine is damaged: {plain(error)}") from error


def write_machine(path: Path, record: MachineRecord, machine: str) -> None:
    """Save what is known about a machine (FormatError: the disk is full, ...)."""
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise FormatError(path, f"its folder cannot be made ({error.strerror})") from error
    document = {"schema_version": SCHEMA_VERSION, "machine": machine, **record.model_dump(mode="json")}
    write_whole(path, (json.dumps(document, indent=1) + "\n").encode())
