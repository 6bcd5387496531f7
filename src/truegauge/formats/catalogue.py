"""Catalogues of probe components: JSON files that users extend (see docs/formats.md)."""

import json
from functools import cache
from pathlib import Path

from pydantic import ValidationError

from truegauge import assets
from truegauge.core.errors import FormatError, UnsupportedVersionError
from truegauge.core.probing.components import Catalogue, Component
from truegauge.formats.files import read_bytes
from truegauge.formats.plan_file import plain

SCHEMA_VERSION = 1
_OWN = Path(assets.__file__).parent / "probes" / "catalogue.json"


@cache
def own_catalogue() -> Catalogue:
    """Return the components that come with the application."""
    return read_catalogue(_OWN)


def read_catalogue(path: Path) -> Catalogue:
    """Read a catalogue.

    Raises
    ------
    FormatError
        Not a catalogue, or a component that makes no sense: which one, and why.
    """
    try:
        document = json.loads(read_bytes(path).decode("utf-8"))
    except (UnicodeDecodeError, json.JSONDecodeError) as error:
        raise FormatError(path, f"this is not a catalogue of components: {error}") from error
    if not isinstance(document, dict) or not isinstance(document.get("components"), list):
        raise FormatError(path, 'this is not a catalogue of components: a list named "components" is missing')
    version = document.get("schema_version", SCHEMA_VERSION)
    if version != SCHEMA_VERSION:
        raise UnsupportedVersionError(path, f"catalogue version {version} is newer than this program knows")
    found = []
    for k, one in enumerate(document["components"]):
        try:
            found.append(Component.model_validate_json(json.dumps(one)))
        except ValidationError as error:
            name = one.get("name", one.get("id", "")) if isinstance(one, dict) else ""
            raise FormatError(path, f"component {k + 1} {name}: {plain(error)}") from error
    try:
        return Catalogue(components=tuple(found))
    except ValidationError as error:
        raise FormatError(path, plain(error)) from error
