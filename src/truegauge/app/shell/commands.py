"""Commands on what is edited, selected and shown, whatever the stage."""

from functools import partial

from truegauge.app.document.look import OPAQUE, SEE_THROUGH
from truegauge.app.document.session import Session
from truegauge.app.shell.stage import STAGES
from truegauge.app.view.section_panel import SectionPanel
from truegauge.app.view.view import View
from truegauge.app.widgets.action import Action
from truegauge.core.commands.shown import SetDisplay
from truegauge.rendering.camera import STANDARD_VIEWS

_DECIMALS = (0, 6)


def edit_actions(session: Session) -> list[Action]:
    """What undoes, and what is made of a selection."""
    s = session
    return [
        Action("undo", "Edit", "Undo", "Ctrl+Z", s.document.undo, lambda: bool(s.document.undo_label)),
        Action("redo", "Edit", "Redo", "Ctrl+Shift+Z", s.document.redo, lambda: bool(s.document.redo_label)),
        Action("accept", "Edit", "Add the first proposal", "Ctrl+Return", lambda: s.proposing.accept(0),
               lambda: bool(s.proposing.proposals)),
    ]  # fmt: skip


def display_actions(session: Session) -> list[Action]:
    """Unit and decimals of all numbers."""
    s = session

    def decimals(step: int) -> None:
        wanted = min(max(s.plan.decimals + step, _DECIMALS[0]), _DECIMALS[1])
        s.run(SetDisplay((("decimals", wanted),)))

    def unit() -> None:
        s.run(SetDisplay((("unit", "inch" if s.plan.unit == "mm" else "mm"),)))

    return [
        Action("unit", "View", "mm or inch", "Ctrl+U", unit, apart=True),
        Action("more-decimals", "View", "One decimal more", "Ctrl+.", lambda: decimals(1),
               lambda: s.plan.decimals < _DECIMALS[1]),
        Action("fewer-decimals", "View", "One decimal fewer", "Ctrl+,", lambda: decimals(-1),
               lambda: s.plan.decimals > _DECIMALS[0]),
    ]  # fmt: skip


def selection_actions(session: Session) -> list[Action]:
    """What is done to the selection."""
    s = session

    def has_faces() -> bool:
        return bool(s.selection.faces())

    return [
        Action("remove-row", "Edit", "Remove the selected characteristic", "", s.selection.remove_characteristic,
               lambda: bool(s.selection.characteristic)),
        Action("remove-feature", "Edit", "Remove the selected features", "", s.selection.remove_features,
               lambda: bool(s.selection.features())),
        Action("evaluate", "Edit", "Evaluate again", "", s.evaluating.evaluate, lambda: s.model is not None),
        Action("clear-selection", "Edit", "Clear the selection", "", lambda: s.selection.select(()),
               lambda: bool(s.selection.groups)),
        Action("pattern", "Edit", "Select the whole pattern", "P", s.selection.take_pattern,
               lambda: s.selection.pattern() is not None),
        Action("element", "Edit", "Select the whole slot or hole", "E", s.selection.take_element, has_faces),
        Action("width", "Edit", "Select the opposite face", "O", s.selection.take_width, has_faces),
    ]  # fmt: skip


def stage_actions(session: Session) -> list[Action]:
    """Going from stage to stage."""
    numbered = [stage.key for stage in STAGES.values() if not stage.shortcut]
    return [
        Action(f"stage-{key}", "Stages", f"Go to {stage.title}", stage.shortcut or f"Alt+{numbered.index(key) + 1}",
               partial(session.set_stage, key), partial(stage.applies, session.document))
        for key, stage in STAGES.items()
    ]  # fmt: skip


def view_actions(session: Session, view: View, section: SectionPanel) -> list[Action]:
    """How the part is looked at."""
    s = session

    def has_part() -> bool:
        return s.model is not None

    def has_sample() -> bool:
        return s.sample is not None

    def has_faces() -> bool:
        return bool(s.selection.faces())

    views = [
        Action(f"view-{name}", "View", f"Show from {name}" if name != "corner" else "Show corner view", f"Ctrl+{i}",
               partial(view.show_standard, name), has_part)
        for i, name in enumerate(STANDARD_VIEWS, 1)
    ]  # fmt: skip
    return [
        Action("why", "View", "Why this number", "Y", lambda: s.show(why=not s.shown.why),
               lambda: bool(s.plan.characteristics)),
        Action("fit", "View", "Fit the part into the view", "Ctrl+0", view.fit, has_part),
        *views,
        Action("hide", "View", "Hide the selected faces", "H", s.showing.hide_selected, has_faces),
        Action("isolate", "View", "Show only the selected faces", "Shift+H", s.showing.show_only_selected, has_faces),
        Action("show-all", "View", "Show all faces", "Ctrl+H", s.showing.show_all, lambda: bool(s.shown.look.hidden)),
        Action("see-through", "View", "See through the part, or not", "T",
               lambda: s.showing.set_look(opacity=OPAQUE if s.shown.look.opacity < 1 else SEE_THROUGH), has_part),
        Action("edges-only", "View", "Edges only, or surfaces", "W",
               lambda: s.showing.set_look(edges_only=not s.shown.look.edges_only), has_part),
        Action("section", "View", "Section box on or off", "X", section.toggle, has_part),
        Action("pick-behind", "View", "Select what lies behind (Alt+click)", "B", view.pick_behind_pointer, has_part),
        Action("map", "View", "Deviation map on or off", "Ctrl+M", lambda: s.show(map=not s.shown.map), has_sample),
        Action("tags", "View", "Tags on or off", "Shift+T", lambda: s.show(tags=not s.shown.tags), has_sample),
        Action("points", "View", "Points on or off", "Ctrl+P", lambda: s.show(points=not s.shown.points), has_sample),
        Action("colors", "View", "Points in their own colours, or in one", "C",
               lambda: s.show(colors=not s.shown.colors), lambda: s.sample is not None and s.sample.colors is not None),
        Action("needles", "View", "Residual needles on or off", "", lambda: s.show(needles=not s.shown.needles),
               has_sample),
    ]  # fmt: skip
