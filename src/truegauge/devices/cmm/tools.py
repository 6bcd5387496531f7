"""What a machine calls our styli."""

from collections.abc import Sequence
from contextlib import suppress

from truegauge.core.errors import DeviceError
from truegauge.core.probing.probing import StylusUse
from truegauge.core.probing.records import ToolName
from truegauge.devices.cmm.link import Link
from truegauge.devices.ipp.client import MachineRefused
from truegauge.devices.ipp.messages import call


def tool_of(assembly: str, use: StylusUse, names: Sequence[ToolName], tools: Sequence[str]) -> tuple[str, bool]:
    """Return the machine's name of a stylus of an assembly, and whether the name is of one pose only.

    `names` are kept with the machine, `tools` are those it tells. Raises DeviceError when it has none for it.
    """
    own = [n for n in names if (n.assembly, n.stylus) == (assembly, use.stylus)]
    for named in (*(n for n in own if n.pose == use.pose), *(n for n in own if n.pose is None)):
        return named.name, named.pose is not None
    plain = f"{assembly}:{use.stylus}"
    if tools and plain not in tools:
        known = ", ".join(tools[:8]) + (" ..." if len(tools) > 8 else "")
        raise DeviceError(f"this machine has no tool {plain}: say which of its tools it is ({known})")
    return plain, False


def assembly_of(tool: str, names: Sequence[ToolName]) -> str:
    """Return the assembly that one of the machine's tools belongs to; empty when nobody said."""
    return next((n.assembly for n in names if n.name == tool), tool.rpartition(":")[0])


def changes_by_hand(link: Link, tool: str) -> bool:
    """Ask whether a change would need a hand; servers that cannot say say so when they are to change."""
    with suppress(MachineRefused):
        answers = link.ask(call("GetChangeToolAction", tool))
        return any("MoveMan" in str(value) for values in answers for value in values)
    return False
