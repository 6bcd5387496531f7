"""Records of silhouette cameras: calibrations and checks, as JSON; one file for each camera."""

from pathlib import Path

from platformdirs import user_state_path

from truegauge.core.plan.lens import CameraRecord
from truegauge.formats.record_file import read_record, record_file, write_record

SCHEMA_VERSION = 1


def camera_folder() -> Path:
    """Return where the records of cameras are kept."""
    return user_state_path("truegauge") / "cameras"


def read_camera(camera: str) -> CameraRecord:
    """Return what is known of a camera (FormatError: damaged, of another camera, or from a newer version)."""
    return read_record(record_file(camera_folder(), camera), CameraRecord, "camera", camera, SCHEMA_VERSION)


def write_camera(camera: str, record: CameraRecord) -> None:
    """Save what is known of a camera (FormatError: the disk is full, ...)."""
    write_record(record_file(camera_folder(), camera), record, "camera", camera, SCHEMA_VERSION)
