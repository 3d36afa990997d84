"""The command line: the same core without a window. One JSON document with ``--json``, a short report without.

Exit status: 0 done; 1 the work was refused or something failed; 2 wrong use. Never a traceback for bad input.
"""

from __future__ import annotations

import difflib
import gc
import io
import os
import sys
import warnings
from collections.abc import Sequence
from pathlib import Path

from velkin.cli.batches import begin
from velkin.cli.parser import VERBS, build, build_window
from velkin.cli.saying import Wrong, fail, say
from velkin.core.errors import NotSupported, VelkinError


def main(argv: Sequence[str] | None = None) -> int:
    """Run the command line; the exit status."""
    if argv is None:
        _quieten()
    words = list(sys.argv[1:] if argv is None else argv)
    if isinstance(sys.stdout, io.TextIOWrapper):
        sys.stdout.reconfigure(errors="backslashreplace")  # names that are no UTF-8 are printed escaped
    first = words[0] if words else ""
    if first not in VERBS:
        asked = [w for w in words if w in ("-h", "--help", "--version")]
        if not asked:
            return _window(words)
        words = asked[:1]
    as_json = "--json" in words
    try:
        arguments = build().parse_args([w for w in words if w != "--json"])
        arguments.json = as_json
        begin()
        return int(arguments.run(arguments))
    except (Wrong, NotSupported) as error:
        fail(error, as_json)
        return 2
    except VelkinError as error:
        fail(error, as_json)
        return 1
    except BrokenPipeError:  # whoever read the output has seen enough
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        return 1
    except (OSError, MemoryError) as error:
        fail(error, as_json)
        return 1


def _quieten() -> None:
    """Let nothing but the program itself write to standard error: libraries that read damaged files talk about them there."""
    try:
        own = os.dup(2)
        nothing = os.open(os.devnull, os.O_WRONLY)
        os.dup2(nothing, 2)
        os.close(nothing)
    except OSError:  # there is no standard error
        return
    sys.stderr = os.fdopen(own, "w", buffering=1, errors="backslashreplace")
    warnings.simplefilter("ignore")


def _window(words: list[str]) -> int:
    try:
        arguments, unknown = build_window().parse_known_args(words)
        _check_shoot(arguments.shoot)
        if unknown:
            raise Wrong(f"velkin: {' '.join(unknown)} is not understood; see velkin --help")
        _check_screen()
    except Wrong as error:
        say(str(error))
        return 2
    except VelkinError as error:
        say(str(error))
        return 1
    gc.disable()  # what is loaded is there to stay; the window's own collector takes over
    from velkin.app.main import start

    try:
        return start(arguments.shoot, arguments.demo, arguments.screenshot)
    except VelkinError as error:
        say(str(error))
        return 1


def _check_shoot(shoot: Path | None) -> None:
    """A word that is neither a file nor looks like one was meant as a verb. Raises Wrong."""
    if shoot is None or shoot.exists() or shoot.suffix or len(shoot.parts) > 1:
        return
    near = difflib.get_close_matches(shoot.name.lower(), VERBS, 1)
    hint = f"; did you mean {near[0]}?" if near else f"; there are {', '.join(VERBS)}"
    raise Wrong(f"velkin: there is no verb {shoot.name!r}, and no shoot of that name{hint}")


def _check_screen() -> None:
    """Say in one sentence that there is no display, before Qt ends the program over it. Raises VelkinError."""
    from velkin.cli.display import why_no_display

    if why := why_no_display(os.environ):
        raise VelkinError(f"velkin: {why}; the verbs of the command line need none (velkin --help)")
