"""Records of one machine or device, as JSON: what was learnt on one must never be taken for another one's."""

import hashlib
import json
import re
from pathlib import Path
from typing import TypeVar

from pydantic import ValidationError

from truegauge.core.errors import FormatError
from truegauge.core.frozen_model import Frozen
from truegauge.formats.files import read_bytes, write_whole
from truegauge.formats.json_object import object_of_json, require_version
from truegauge.formats.plan_file import plain

R = TypeVar("R", bound=Frozen)


def record_file(folder: Path, owner: str) -> Path:
    """Return where what is known about a machine or a device is kept."""
    words = re.sub(r"[^A-Za-z0-9.]+", "-", owner).strip("-.")[:40]
    return folder / f"{words}-{hashlib.sha256(owner.encode()).hexdigest()[:10]}.json"


def read_record(path: Path, kind: type[R], of: str, owner: str, version: int) -> R:
    """Return the record of an owner, `of` a "machine" or a "device"; an empty one when there is no file yet.

    Raises
    ------
    FormatError
        Damaged, of another one, or from a newer version.
    """
    if not path.exists():
        return kind()
    what = f"the record of the {of}"
    document = object_of_json(path, read_bytes(path), what)
    require_version(path, document, version, what)
    del document["schema_version"]
    if document.pop(of, None) != owner:
        raise FormatError(path, f"this is not the record of {owner}: nothing of it is used")
    try:
        return kind.model_validate_json(json.dumps(document))
    except ValidationError as error:
        raise FormatError(path, f"{what} is damaged: {plain(error)}") from error


def write_record(path: Path, record: Frozen, of: str, owner: str, version: int) -> None:
    """Save a record (FormatError: the disk is full, ...)."""
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise FormatError(path, f"its folder cannot be made ({error.strerror})") from error
    document = {"schema_version": version, of: owner, **record.model_dump(mode="json")}
    write_whole(path, (json.dumps(document, indent=1) + "\n").encode())
