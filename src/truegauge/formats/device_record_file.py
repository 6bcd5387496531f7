"""Records of portable devices: their checks, as JSON; one file for each device."""

from pathlib import Path

from platformdirs import user_state_path

from truegauge.core.device_checks.records import DeviceRecord
from truegauge.formats.record_file import read_record, record_file, write_record

SCHEMA_VERSION = 1


def device_folder() -> Path:
    """Return where the records of portable devices are kept."""
    return user_state_path("truegauge") / "devices"


def read_device(device: str) -> DeviceRecord:
    """Return what is known of a device (FormatError: damaged, of another device, or from a newer version)."""
    return read_record(record_file(device_folder(), device), DeviceRecord, "device", device, SCHEMA_VERSION)


def write_device(device: str, record: DeviceRecord) -> None:
    """Save what is known of a device (FormatError: the disk is full, ...)."""
    write_record(record_file(device_folder(), device), record, "device", device, SCHEMA_VERSION)
