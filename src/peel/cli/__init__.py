"""Peel without a window: the commands, and how what goes wrong ends."""

import errno
import os
import sys
from pathlib import Path
from typing import Annotated

import typer

from peel.cli import assignment, cutting, delivering
from peel.cli.common import app, say
from peel.errors import DeliveryError, PeelError, exit_code

__all__ = ["app", "assignment", "cutting", "delivering", "main"]

_COMMANDS = frozenset(
    command.name or (command.callback.__name__ if command.callback else "") for command in app.registered_commands
) | {"window", "demo"}


@app.command()
def window(
    files: Annotated[
        list[Path] | None, typer.Argument(help="A photo or .peel job; of several the first is opened.")
    ] = None,
) -> None:
    """Open the window (also what `peel FILES` does)."""
    raise typer.Exit(_show(files or [], demo=False))


@app.command()
def demo(
    arriving: Annotated[
        Path | None, typer.Option(help="Let demo photos arrive in this folder, one by one, as from a tethered camera.")
    ] = None,
    client: Annotated[
        Path | None, typer.Option(help="Be a client's drop-off on this machine, and put what arrives into this folder.")
    ] = None,
    port: Annotated[int, typer.Option(min=0, max=65535, help="Of the drop-off.")] = 8750,
    moody: Annotated[float, typer.Option(min=0, max=1, help="How often the drop-off refuses or hangs up.")] = 0.3,
    count: Annotated[int, typer.Option(min=1, max=300, help="How many photos arrive.")] = 12,
    pause: Annotated[float, typer.Option(min=0, max=60, help="Seconds between two of them.")] = 2.0,
) -> None:
    """Open the window on the demo assignment, or be the camera or the client of one."""
    if client is not None:
        from peel.demo.client import DropOff

        with DropOff(client, moody=moody, port=port) as desk:
            typer.echo(f"The client takes files at {desk.address}; Ctrl+C ends it.", err=True)
            desk.serve_forever()
    elif arriving is not None:
        from peel.demo.arriving import arrive

        arrive(arriving, count, pause_s=pause, told=lambda path: typer.echo(str(path)))
    else:
        raise typer.Exit(_show([], demo=True))


def _show(files: list[Path], *, demo: bool) -> int:
    from peel.desk.app import run

    return run(files, demo=demo)


def main(arguments: list[str] | None = None) -> int:
    """Run Peel; the exit code is given to the shell."""
    given = sys.argv[1:] if arguments is None else arguments
    # `peel photo.jpg` opens the window on it, without a command's name
    if not given or (given[0] not in _COMMANDS and not given[0].startswith("-")):
        given = ["window", *given]
    try:
        code = app(given, standalone_mode=False, prog_name="peel")
        sys.stdout.flush()
    except OSError as error:
        if not _concerns_output(error):
            return _unexpected(error)
        _leave_stdout()
        return exit_code(DeliveryError("Standard output cannot be written."))
    except PeelError as error:
        say(f"peel: {error}", err=True)
        return exit_code(error)
    except typer.Exit as stop:
        return int(stop.exit_code)
    except typer.Abort:
        return 130
    except typer.TyperException as error:
        error.show()  # type: ignore[attr-defined]
        return 2
    except Exception as error:  # noqa: BLE001 - the top: everything else is a bug, and is logged
        return _unexpected(error)
    return int(code or 0)


def _concerns_output(error: OSError) -> bool:
    """Return whether an error is about standard output: full, or closed by whoever read it."""
    return error.errno in {errno.ENOSPC, errno.EPIPE, errno.EIO, errno.EBADF} and error.filename is None


def _leave_stdout() -> None:
    """Say that standard output cannot be written, and keep the interpreter from trying once more."""
    os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
    typer.echo("peel: standard output cannot be written: the disk is full, or nobody reads it.", err=True)


def _unexpected(error: Exception) -> int:
    import traceback

    from peel.work.session.memory import log_file

    try:
        with log_file().open("a", encoding="utf-8") as log:
            traceback.print_exception(error, file=log)
        where = f"the details are in {log_file()}"
    except (OSError, PeelError):
        where = f"and it could not be logged: {error!r}"
    typer.echo(f"peel: an error Peel did not expect; {where}.", err=True)
    return 5
