"""The part found by hand: the targets of a guided alignment touched by joystick, one after the other."""

from collections.abc import Callable
from datetime import datetime

from truegauge.core.errors import DeviceError
from truegauge.core.evaluation.targets import SIDES
from truegauge.core.nodes.aligning import target_of, touches_of
from truegauge.core.plan.alignments import GuidedAlignment
from truegauge.core.probing.probing import Probing
from truegauge.core.probing.records import MachineRecord
from truegauge.core.registration.guided import still_needed
from truegauge.core.samples.document import Touch
from truegauge.devices.cmm.link import Check
from truegauge.devices.cmm.machine import Cmm
from truegauge.runs.events import TargetTouched, TargetWanted, Tell
from truegauge.runs.stylus import Stylus, stylus_on


def touch_targets(
    cmm: Cmm, probing: Probing, record: MachineRecord, own: GuidedAlignment, touches: tuple[Touch, ...], tell: Tell,
    check: Check, now: Callable[[], datetime] = datetime.now,
) -> tuple[Touch, ...]:  # fmt: skip
    """Have all targets of an alignment touched by hand that are not yet; returns all touches.

    Raises
    ------
    DeviceError
        Nobody knows which stylus is on the machine, or it may not measure.
    """
    use = stylus_on(cmm, probing)
    if use is None:
        raise DeviceError("nobody knows which stylus is on the machine: take one into use, then locate the part")
    if cmm.use != use:
        cmm.take_stylus(probing, use, turn=False)  # it is there already: it stands as it stood
    stylus = Stylus(probing, record, use, cmm.temperature(), now())
    if stylus.why_not:
        raise DeviceError(f"the part cannot be touched by hand: {stylus.why_not}")
    cmm.forget_hand_touches()
    cmm.let_user_move(True)
    found = touches
    for target in own.targets:
        while (needed := still_needed(target_of(target), touches_of(target.name, found))) is not None:
            side, missing = needed
            tell(TargetWanted(target, side, missing, f"touch {target.name} {SIDES[side]}"))
            made = stylus.touched(cmm.wait_for_hand_touch(check), "")
            touch = Touch(target=target.name, place=made.place, side=side, radius=made.radius, approach=made.approach)
            found = (*found, touch)
            tell(TargetTouched(touch))
    return found
