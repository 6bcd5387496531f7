"""Records of portable devices: their checks, as JSON; one file for each device."""

import json
from pathlib import Path

from platformdirs import user_state_path
from pydantic import ValidationError

from truegauge.core.device_checks.records import DeviceRecord
from truegauge.core.errors import FormatError
from truegauge.formats.files import read_bytes, write_whole
from truegauge.formats.json_object import object_of_json, require_version
from truegauge.formats.machine_file import record_file
from truegauge.formats.plan_file import plain

SCHEMA_VERSION = 1
_WHAT = "the record of the device"


def device_folder() -> Path:
    """Return where the records of portable devices are kept."""
    return user_state_path("truegauge") / "devices"


def read_device(device: str) -> DeviceRecord:
    """Return what is known of a device; nothing when there is no file yet.

    Raises
    ------
    FormatError
        Damaged, of another device, or from a newer version.
    """
    path = record_file(device_folder(), device)
    if not path.exists():
        return DeviceRecord()
    document = object_of_json(path, read_bytes(path), _WHAT)
    require_version(path, document, SCHEMA_VERSION, _WHAT)
    del document["schema_version"]
    if document.pop("device", None) != device:
        raise FormatError(path, f"this is not the record of {device}: nothing of it is used")
    try:
        return DeviceRecord.model_validate_json(json.dumps(document))
    except ValidationError as error:
        raise FormatError(path, f"{_WHAT} is damaged: {plain(error)}") from error


def write_device(device: str, record: DeviceRecord) -> None:
    """Save what is known of a device (FormatError: the disk is full, ...)."""
    path = record_file(device_folder(), device)
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise FormatError(path, f"its folder cannot be made ({error.strerror})") from error
    document = {"schema_version": SCHEMA_VERSION, "device": device, **record.model_dump(mode="json")}
    write_whole(path, (json.dumps(document, indent=1) + "\n").encode())
