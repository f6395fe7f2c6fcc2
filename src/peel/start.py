"""The entry point: the window without delay, everything else by the command line's parser."""

import sys
from pathlib import Path
from typing import Final

__all__ = ["main"]

_COMPUTING: Final = ("carry", "check", "cut", "deliver", "propose", "separations")
_WITHOUT_A_WINDOW: Final = (*_COMPUTING, "compact", "presets")


def main(arguments: list[str] | None = None) -> int:
    """Run Peel; the exit code is given to the shell.

    ``peel``, ``peel demo`` and ``peel FILES`` open the window. They are recognised here, since the parser of the
    command line takes as long to import as the window's first paint.
    """
    given = sys.argv[1:] if arguments is None else arguments
    if any(argument.startswith("-") for argument in given) or (given and given[0] in _WITHOUT_A_WINDOW):
        if given[0] in _COMPUTING and "--help" not in given:
            _get_ready()
        from peel.cli import main as run_command

        return run_command(given)
    from peel.desk.app import run

    if given == ["demo"]:
        return run([], demo=True)
    files = given[1:] if given and given[0] == "window" else given
    return run([Path(name) for name in files], demo=False)


def _get_ready() -> None:
    """Have the numeric code compiled the first time a command needs it; the window does that for itself."""
    from peel.matte.warm import is_warm, warm_apart

    if not is_warm():
        sys.stderr.write("Peel is getting ready for the first time, which takes a minute or two.\n")
        sys.stderr.flush()
        warm_apart()


if __name__ == "__main__":
    sys.exit(main())
