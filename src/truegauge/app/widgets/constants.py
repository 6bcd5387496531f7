"""A guard against a fault of the Qt binding on Python 3.11.

PySide6 6.12 gives back references to None that it never took (some 800 with one repaint of the ledger; count them
with ``sys.getrefcount(None)``). From Python 3.12 on None cannot die and nobody notices; on 3.11 the process would be
aborted after some minutes of work. So None, True and False are given more references than a lifetime can use up,
which is what Python 3.12 does itself.
"""

import ctypes
import sys

_PLENTY = 1 << 40


def keep_constants_alive() -> None:
    """Make None, True and False immortal; once is enough, more often does no harm."""
    if sys.version_info >= (3, 12):
        return
    for constant in (None, True, False):
        if sys.getrefcount(constant) < _PLENTY // 2:
            ctypes.c_ssize_t.from_address(id(constant)).value += _PLENTY
