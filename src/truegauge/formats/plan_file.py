"""Plan files (.tgplan): a ZIP of plan.json and the STEP file of the part."""

import json
from dataclasses import dataclass
from pathlib import Path

from pydantic import ValidationError

from truegauge.core.errors import FormatError
from truegauge.core.plan.document import SCHEMA_VERSION, Plan
from truegauge.formats.archive import read_archive, read_document, write_archive
from truegauge.formats.files import content_key

_DOCUMENT = "plan.json"
_PART = "part.step"


@dataclass(frozen=True, slots=True)
class PlanFile:
    """A plan and the content of its part's file (None for a plan without a part)."""

    plan: Plan
    part: bytes | None


def write_plan(path: Path, plan: Plan, part: bytes | None) -> None:
    """Save a plan with its part."""
    members = {_DOCUMENT: (json.dumps(plan.model_dump(mode="json"), indent=1) + "\n").encode()}
    if part is not None:
        members[_PART] = part
    write_archive(path, members)


def read_plan(path: Path) -> PlanFile:
    """Open a plan file.

    Raises
    ------
    FormatError
        Not a plan, damaged, from a newer version, or its part is missing or another one.
    """
    members = read_archive(path, "plan")
    document = read_document(path, members, _DOCUMENT, SCHEMA_VERSION, "plan")
    try:
        plan = Plan.model_validate_json(json.dumps(document))
    except ValidationError as error:
        raise FormatError(path, f"the plan is damaged: {plain(error)}") from error
    part = members.get(_PART)
    if plan.part is not None and (part is None or content_key(part) != plan.part.sha256):
        raise FormatError(path, "the plan is damaged: its part is missing or is not the one the plan was made on")
    return PlanFile(plan, part)


def plain(error: ValidationError) -> str:
    """Say the first thing that is wrong, and where."""
    first = error.errors()[0]
    where = ".".join(str(x) for x in first["loc"])
    return f"{where}: {first['msg']}" if where else str(first["msg"])
