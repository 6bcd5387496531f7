"""Plan files (.tgplan): a ZIP of plan.json and the file of the part."""

import json
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from pydantic import ValidationError

from truegauge.core.cad.model import CadModel
from truegauge.core.errors import FormatError
from truegauge.core.plan.alignments import FIRST_ALIGNMENT
from truegauge.core.plan.document import SCHEMA_VERSION, Plan
from truegauge.core.plan.modifier_words import from_words
from truegauge.core.progress import Progress, silent
from truegauge.formats.archive import read_archive, read_document, write_archive
from truegauge.formats.files import Stamp, content_key, temporary_folder
from truegauge.formats.part import PART_ENDINGS, read_part

_DOCUMENT = "plan.json"
_LARGEST_DOCUMENT, _LARGEST_PART = 32 << 20, 1 << 30


@dataclass(frozen=True, slots=True)
class PlanFile:
    """A plan and the content of its part's file (None for a plan without a part)."""

    plan: Plan
    part: bytes | None
    stamp: Stamp  # of the file, when it was read


def _part_member(plan: Plan) -> str:
    """Return the name of the part inside a plan file: by the ending of the file that it came from."""
    ending = Path(plan.part.file_name).suffix.lower() if plan.part is not None else ""
    return f"part{ending if ending in PART_ENDINGS else '.step'}"


def write_plan(path: Path, plan: Plan, part: bytes | None) -> Stamp:
    """Save a plan with its part; returns what the file is now."""
    members = {_DOCUMENT: (json.dumps(plan.model_dump(mode="json"), indent=1) + "\n").encode()}
    if part is not None:
        members[_part_member(plan)] = part
    return write_archive(path, members)


def read_plan(path: Path) -> PlanFile:
    """Open a plan file.

    Raises
    ------
    FormatError
        Not a plan, damaged, from a newer version, or its part is missing or another one.
    """
    members, stamp = read_archive(path, "plan", {_DOCUMENT: _LARGEST_DOCUMENT, "part.": _LARGEST_PART})
    document = read_document(path, members, _DOCUMENT, SCHEMA_VERSION, "plan")
    try:
        plan = Plan.model_validate_json(json.dumps(as_of_now(document)))
    except ValidationError as error:
        raise FormatError(path, f"the plan is damaged: {plain(error)}") from error
    except (TypeError, AttributeError, LookupError) as error:  # an earlier version, with another kind of thing in it
        raise FormatError(path, f"the plan is damaged: what should be a list or a name is none ({error})") from error
    part = members.get(_part_member(plan))
    if plan.part is not None and (part is None or content_key(part) != plan.part.sha256):
        raise FormatError(path, "the plan is damaged: its part is missing or is not the one the plan was made on")
    return PlanFile(plan, part, stamp)


def as_of_now(document: dict[str, Any]) -> dict[str, Any]:
    """Bring the document of an earlier version to the present one."""
    version = document.get("schema_version")
    if version in (1, 2):  # version 1 has less than 2, and nothing that means something else
        document = _v2_to_v3(document)
    if version in (1, 2, 3):
        document = _v3_to_v4(document)
    # Version 4 has less than 5, and 5 less than 6, and nothing that means something else.
    if isinstance(version, int) and version < 7:
        document = _v6_to_v7(document)
    return {**document, "schema_version": SCHEMA_VERSION}


def _v2_to_v3(document: dict[str, Any]) -> dict[str, Any]:
    """One best fit became a list of alignments with one in force."""
    rest = {k: v for k, v in document.items() if k != "alignment"}
    only = document.get("alignment", {"kind": "best_fit"})
    if isinstance(only, dict):
        only = {**only, "id": FIRST_ALIGNMENT, "name": "Best fit"}
    return {**rest, "alignments": [only], "in_force": FIRST_ALIGNMENT}


def _v3_to_v4(document: dict[str, Any]) -> dict[str, Any]:
    """Orientation tolerances named their datum twice, as a second feature too; modifiers were words."""
    characteristics = document.get("characteristics")
    datums = {d.get("letter"): d.get("feature") for d in document.get("datums") or () if isinstance(d, dict)}
    if not isinstance(characteristics, list):
        return document
    changed = []
    for c in characteristics:
        if isinstance(c, dict) and isinstance(c.get("features"), list) and c.get("datums"):
            first = c["datums"][0].get("letter") if isinstance(c["datums"][0], dict) else None
            if len(c["features"]) == 2 and c["features"][1] == datums.get(first):
                c = {**c, "features": c["features"][:1]}
        if isinstance(c, dict) and isinstance(c.get("modifiers"), list) and c["modifiers"]:
            letters, zone = from_words([str(m) for m in c["modifiers"]])
            c = {**c, "modifiers": list(letters), "zone": zone.model_dump(mode="json")}
        changed.append(c)
    return {**document, "characteristics": changed}


def _v6_to_v7(document: dict[str, Any]) -> dict[str, Any]:
    """Sizes without modifiers were those of the associated feature; now a plan states what they mean."""
    return {"usual_size": "GG", **document}


def model_of_plan(path: Path, file: PlanFile, *, progress: Progress = silent) -> CadModel:
    """Read the part that a plan file holds.

    Raises
    ------
    FormatError
        The plan has no part, or its part cannot be read.
    """
    if file.part is None or file.plan.part is None:
        raise FormatError(path, "the plan has no part; open it in the window and add one")
    with temporary_folder() as folder:
        step = folder / (Path(file.plan.part.file_name).name or "part.step")
        step.write_bytes(file.part)
        return read_part(step, progress=progress)


def plain(error: ValidationError) -> str:
    """Say the first thing that is wrong, and where."""
    first = error.errors()[0]
    where = ".".join(str(x) for x in first["loc"])
    return f"{where}: {first['msg']}" if where else str(first["msg"])
