"""What can be run of a plan just now: all of it, saved subsets, what is selected, was outside, or is not measured."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from truegauge.core.evaluation.choice import Choice, chosen_features, reported
from truegauge.core.tolerancing.judgement import State

if TYPE_CHECKING:
    from collections.abc import Callable

    from truegauge.app.document.session import Session
    from truegauge.app.stages.devices.machine_model import MachineModel
    from truegauge.core.evaluation.results import Result
    from truegauge.core.plan.document import Plan


@dataclass(frozen=True, slots=True)
class Offer:
    """One of them: its title, what it comes to in words, and the features with why each is measured."""

    key: str
    title: str
    text: str
    choice: Choice
    why: tuple[tuple[str, str], ...] = ()  # names of features, and why


def offers(session: Session, rows: tuple[str, ...] = (), listed: tuple[str, ...] = ()) -> tuple[Offer, ...]:
    """Return them, the usual one first.

    `rows` are the characteristics that are selected in the ledger, `listed` those that its search and filter leave.
    """
    plan = session.plan
    found = [_offer(session, "all", "All of the route", Choice())]
    found += [
        _offer(session, f"subset {s.name}", s.name,
               Choice(characteristics=s.characteristics, features=s.features, subset=s.name))
        for s in plan.subsets if s.characteristics or s.features
    ]  # fmt: skip
    if rows:
        found.append(_offer(session, "rows", "The selected rows", Choice(characteristics=rows)))
    if listed and set(listed) != set(rows):
        found.append(_offer(session, "listed", "All rows that are listed", Choice(characteristics=listed)))
    features = tuple(f.id for f in session.selection.features())
    if features:
        found.append(_offer(session, "features", "All of the selected features", Choice(features=features)))
    for key, title, wanted in (
        ("outside", "What was outside", lambda r: r.state == State.OUTSIDE),
        ("missing", "What is not measured", lambda r: r.measured is None),
    ):
        ids = _of_results(session, wanted)
        if ids and len(ids) < len(plan.characteristics):
            found.append(_offer(session, key, title, Choice(characteristics=ids)))
    return tuple(found)


def is_in(plan: Plan, choice: Choice) -> bool:
    """Whether a plan has all that was chosen."""
    known = {c.id for c in plan.characteristics} | {f.id for f in plan.features}
    return {*choice.characteristics, *choice.features} <= known


def why_not_on(machine: MachineModel) -> str:
    """Say why a machine cannot run a program; empty when it can."""
    if not machine.connected:
        return "connect to a machine first: see Devices"
    if not machine.homed:
        return "home the machine first: see Devices"
    usable = any(machine.may_use(u) for u in machine.session.plan.probing.uses())
    return "" if usable else "qualify the styli first: see Devices"


def _of_results(session: Session, wanted: Callable[[Result], bool]) -> tuple[str, ...]:
    if session.evaluation is None or session.sample is None:
        return ()
    return tuple(r.characteristic.id for r in session.evaluation.results if wanted(r))


def _offer(session: Session, key: str, title: str, choice: Choice) -> Offer:
    plan = session.plan
    features = chosen_features(plan, choice)
    n = len(plan.characteristics) if choice.is_all else len(reported(plan, choice))
    measured = f"{len(features)} {'feature' if len(features) == 1 else 'features'}"
    text = f"{n} {'characteristic' if n == 1 else 'characteristics'}, {measured}" if n else measured
    why = tuple((plan.feature(f).name, "; ".join(r.text for r in reasons)) for f, reasons in features.items())
    return Offer(key, title, text, choice, why if not choice.is_all else ())
