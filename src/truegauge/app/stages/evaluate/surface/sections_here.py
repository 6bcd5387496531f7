"""Sections of the plan through the deepest place of an imperfection."""

import numpy as np

from truegauge.app.stages.evaluate.surface.model import SurfaceModel
from truegauge.core.authoring.readings import parallel_sections
from truegauge.core.commands.readings import SetSections


def add_sections(model: SurfaceModel) -> None:
    """Make two sections of the part through the deepest place of the chosen one, along and across."""
    one, lie, session, check = model.chosen, model.lie(), model.session, model.check
    if one is None or check is None:
        return
    if lie is None:
        session.notify("align the part first: sections are made in its coordinates")
        return
    place = lie.places(np.array([one.deepest]))[0]
    along, out = lie.directions(np.array([one.direction, one.normal]))
    made = [parallel_sections(session.plan, place, normal, 1, 1.0)[0] for normal in (np.cross(out, along), along)]
    named = tuple(
        section.replace(name=f"{check.name} {model.number + 1} {words}")
        for section, words in zip(made, ("along", "across"), strict=True)
    )
    if session.run(SetSections(named, f"sections through number {model.number + 1}")):
        session.showing.look_at_section(named[0].id)
