"""Catalogues of probe components: JSON files that users extend (see docs/formats.md)."""

import json
from functools import cache
from pathlib import Path

from pydantic import ValidationError

from truegauge import assets
from truegauge.core.errors import FormatError
from truegauge.core.probing.components import Catalogue, Component
from truegauge.formats.files import read_bytes
from truegauge.formats.json_object import object_of_json, require_version
from truegauge.formats.plan_file import plain

SCHEMA_VERSION = 1
_MOST = 10_000
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
    document = object_of_json(path, read_bytes(path), "this catalogue of components")
    if not isinstance(document.get("components"), list):
        raise FormatError(path, 'this is not a catalogue of components: a list named "components" is missing')
    require_version(path, {"schema_version": SCHEMA_VERSION, **document}, SCHEMA_VERSION, "this catalogue")
    if len(document["components"]) > _MOST:
        raise FormatError(path, f"{len(document['components']):,} components are more than a catalogue has ({_MOST:,})")
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
