"""Plan files (.tgplan): a ZIP of plan.json and the file of the part."""

import json
from dataclasses import dataclass
from pathlib import Path

from pydantic import ValidationError

from truegauge.core.cad.model import CadModel
from truegauge.core.cad.no_part import no_part
from truegauge.core.errors import FormatError
from truegauge.core.plan.document import SCHEMA_VERSION, Plan
from truegauge.core.plan.migrations.steps import as_of_now
from truegauge.core.progress import Progress, silent
from truegauge.formats.archive import read_archive, read_document, write_archive
from truegauge.formats.files import Stamp, content_key, temporary_folder
from truegauge.formats.part import read_part
from truegauge.formats.part_kinds import PART_ENDINGS

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


def model_of_plan(path: Path, file: PlanFile, *, progress: Progress = silent) -> CadModel:
    """Read the part that a plan file holds.

    Raises
    ------
    FormatError
        The plan has no part, or its part cannot be read.
    """
    if file.plan.silhouette is not None:  # it needs none
        return no_part()
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
