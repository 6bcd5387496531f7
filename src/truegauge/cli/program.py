"""The program: its commands, and one line for whatever goes wrong."""

import datetime
import io
import os
import sys
from pathlib import Path
from typing import Annotated, NoReturn

import typer

from truegauge.cli.associating import associate
from truegauge.cli.batches import batch, inbox
from truegauge.cli.blades import blade
from truegauge.cli.comparing import compare
from truegauge.cli.imperfections import imperfections
from truegauge.cli.inspecting import inspect, new_plan
from truegauge.cli.machines import cmm_sim, device_sim
from truegauge.cli.programs import dmis
from truegauge.cli.routing import route
from truegauge.cli.running import run
from truegauge.cli.silhouettes import calibrate_camera
from truegauge.core.errors import TrueGaugeError


def window(files: Annotated[list[Path] | None, typer.Argument(help="Plans, parts and scans to open.")] = None) -> None:
    """Open the window."""
    from truegauge.app.start import run as open_window

    raise typer.Exit(open_window(files or []))


def warm_up() -> None:
    """Compile the numeric kernels once, so that the first inspection is as fast as the next."""
    from truegauge.cli.warming import warm_up as prepare

    prepare()


def demo(
    out: Annotated[Path, typer.Option(help="Folder for the results when there is no display.")] = Path("out/demo"),
) -> None:
    """Run the demo inspection: a window when there is a display, else files."""
    from truegauge.cli.demonstrating import off_screen, on_screen

    there = bool(os.environ.get("DISPLAY") or os.environ.get("WAYLAND_DISPLAY"))
    raise typer.Exit(on_screen() if there and os.environ.get("QT_QPA_PLATFORM") != "offscreen" else off_screen(out))


app = typer.Typer(add_completion=False, no_args_is_help=True, pretty_exceptions_enable=False)
_COMMANDS = (
    window, inspect, new_plan, batch, cmm_sim, device_sim, inbox, compare, associate, blade, imperfections, route, run,
    calibrate_camera,
)  # fmt: skip
for _command in _COMMANDS:
    app.command(_command.__name__.replace("_", "-"))(_command)
app.add_typer(dmis, name="dmis")
app.command("warm-up", hidden=True)(warm_up)
app.command(hidden=True)(demo)


def main() -> None:
    """Run; whatever goes wrong becomes one line and exit code 2."""
    for stream in (sys.stdout, sys.stderr):
        if isinstance(stream, io.TextIOWrapper):  # names of files may be no text
            stream.reconfigure(errors="backslashreplace")
    try:
        app()
    except TrueGaugeError as error:
        _end(str(error))
    except BrokenPipeError:  # nobody reads on
        os.dup2(os.open(os.devnull, os.O_WRONLY), 1)
        sys.exit(2)
    except OSError as error:
        _end(f"{error.filename or 'a file'}: {error.strerror or error}")
    except KeyboardInterrupt:
        _end("stopped")
    except MemoryError:
        _end("there is not enough memory for this")
    except Exception as error:  # noqa: BLE001 - the last door
        _end(f"something went wrong inside the program ({type(error).__name__}); {_logged()}")


def _end(text: str) -> NoReturn:
    sys.stderr.write(f"truegauge: {' '.join(text.split())}\n")
    sys.exit(2)


def _logged() -> str:
    """Write what went wrong, for those who mend it, to a file, and name it."""
    import traceback

    from platformdirs import user_log_path

    path = user_log_path("truegauge") / "errors.log"
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        with path.open("a", encoding="utf-8", errors="backslashreplace") as file:
            file.write(f"{datetime.datetime.now():%Y-%m-%d %H:%M:%S} {sys.argv!r}\n{traceback.format_exc()}\n")
    except OSError:
        return "it could not be logged"
    return f"details are in {path}"
