"""The record of a machine: where its reference sphere was located, and the qualifications of its styli, as JSON."""

import json
from pathlib import Path

from pydantic import ValidationError

from truegauge.core.errors import FormatError
from truegauge.core.probing.records import MachineRecord
from truegauge.formats.files import read_bytes, write_whole
from truegauge.formats.json_object import object_of_json, require_version
from truegauge.formats.plan_file import plain

SCHEMA_VERSION = 1


def read_machine(path: Path) -> MachineRecord:
    """Return what is known about a machine; nothing when there is no file yet.

    Raises
    ------
    FormatError
        Damaged, or from a newer version.
    """
    if not path.exists():
        return MachineRecord()
    document = object_of_json(path, read_bytes(path), "the record of the machine")
    require_version(path, document, SCHEMA_VERSION, "the record of the machine")
    del document["schema_version"]
    try:
        return MachineRecord.model_validate_json(json.dumps(document))
    except ValidationError as error:
        raise FormatError(path, f"the record of the machine is damaged: {plain(error)}") from error


def write_machine(path: Path, record: MachineRecord) -> None:
    """Save what is known about a machine (FormatError: the disk is full, ...)."""
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise FormatError(path, f"its folder cannot be made ({error.strerror})") from error
    document = {"schema_version": SCHEMA_VERSION, **record.model_dump(mode="json")}
    write_whole(path, (json.dumps(document, indent=1) + "\n").encode())
