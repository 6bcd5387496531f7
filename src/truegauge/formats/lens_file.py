"""How a camera was calibrated, as a file (JSON): docs/formats.md."""

import json
from pathlib import Path

from pydantic import ValidationError

from truegauge.core.errors import FormatError
from truegauge.core.plan.lens import LensRecord
from truegauge.formats.files import read_bytes, write_whole
from truegauge.formats.json_object import object_of_json, require_version
from truegauge.formats.plan_file import plain

_VERSION = 1
_WHAT = "calibration of a camera"


def write_lens(path: Path, lens: LensRecord) -> None:
    """Write a calibration."""
    document = {"format": "true-gauge-camera", "schema_version": _VERSION, **lens.model_dump(mode="json")}
    write_whole(path, (json.dumps(document, indent=1) + "\n").encode())


def read_lens(path: Path) -> LensRecord:
    """Read a calibration.

    Raises
    ------
    FormatError
        It is none, is damaged, or of a newer version.
    """
    document = object_of_json(path, read_bytes(path), _WHAT)
    if document.pop("format", None) != "true-gauge-camera":
        raise FormatError(path, f"this is no {_WHAT}")
    require_version(path, document, _VERSION, _WHAT)
    document.pop("schema_version", None)
    try:
        return LensRecord.model_validate_json(json.dumps(document))
    except ValidationError as error:
        raise FormatError(path, f"the {_WHAT} is damaged: {plain(error)}") from error
