"""Escape lets go, wherever the focus is: of the selection, then of a tool, then of what was opened over the part."""

from collections.abc import Callable

from truegauge.app.document.session import Session
from truegauge.app.shell.shell import Shell
from truegauge.app.view.view import View


def let_go(session: Session, view: View, shell: Shell, close_notice: Callable[[], bool]) -> None:
    """Let go of the first there is."""
    s = session
    if s.selection.groups or s.selection.characteristic:
        s.selection.select(())
    elif view.outline.mode:
        view.outline.cancel()
    elif s.pointer.escape_stops:
        s.pointer.stop_picking()
    elif shell.full_page is not None:
        shell.toggle_full_page(shell.full_page)
    elif any(close() for close in shell.closers):
        return
    elif s.shown.why:
        s.show(why=False)
    elif s.shown.section:
        s.showing.look_at_section("")
    elif s.shown.look.section is not None:
        s.showing.set_look(section=None)
    else:
        close_notice()
