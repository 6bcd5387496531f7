"""Going on after the connection to a machine was lost."""

import time

from truegauge.core.errors import DeviceError
from truegauge.core.probing.probing import Probing
from truegauge.devices.cmm.link import Check
from truegauge.devices.cmm.machine import Cmm
from truegauge.devices.cmm.words import NotHomed
from truegauge.devices.ipp.client import ConnectionLost, MachineRefused

_TRIES = 4
_BETWEEN_S = 0.4


def reconnect(cmm: Cmm, probing: Probing, check: Check = lambda: None) -> None:
    """Open the session again after it was lost, with the stylus in use as before; tries several times.

    Raises
    ------
    ConnectionLost
        Nothing answers.
    NotHomed
        The machine is there but does not know where it is.
    DeviceError
        Another machine answers there now, or it stands still after an error.
    """
    known = cmm.identity
    for k in range(_TRIES):
        check()
        try:
            cmm.connect()
        except DeviceError as error:
            if k == _TRIES - 1:
                refused = isinstance(error, MachineRefused)
                what = error.said.words if isinstance(error, MachineRefused) else "it does not answer any more"
                do = "connect" if refused else "see that it has power and that its server runs, connect"
                raise ConnectionLost(
                    f"the machine at {cmm.link.host}:{cmm.link.port}: {what}. What was measured is kept: {do} "
                    "again, then go on"
                ) from error
            time.sleep(_BETWEEN_S)
            continue
        try:
            _as_before(cmm, known, probing)
        except ConnectionLost:  # cut again while it was asked how it is
            if k == _TRIES - 1:
                raise
        else:
            return


def _as_before(cmm: Cmm, known: str, probing: Probing) -> None:
    """See that it is the same machine and can move, and take the stylus in use before (DeviceError: it is not)."""
    if cmm.identity != known:
        cmm.close()
        raise DeviceError(f"another machine answers now ({cmm.identity}, not {known}): connect to it anew")
    if not cmm.is_homed():
        raise NotHomed("the machine lost its power and does not know where it is: home it, then go on")
    if cmm.has_error():
        raise DeviceError("the machine stands still after an error: clear it, then go on")
    before = cmm.last_use
    # It may stand in the part: the head is not turned, and what is in use is known again, so that it can leave.
    if before is not None and cmm.mounted == probing.assembly(before.assembly).name:
        cmm.take_stylus(probing, before, turn=False)
