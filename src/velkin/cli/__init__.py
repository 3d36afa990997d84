"""The command line: the same core without a window. One JSON document with ``--json``, a short report without.

Exit status: 0 done; 1 the work was refused or something failed; 2 wrong use. Never a traceback for bad input.
"""

from __future__ import annotations

import argparse
import io
import os
import sys
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import NoReturn

from velkin import __version__
from velkin.cli.charts import chart
from velkin.cli.converting import assign, convert
from velkin.cli.fitting import fit
from velkin.cli.handing_off import hand_off
from velkin.cli.inspecting import inspect_files
from velkin.cli.proofing import ease, proof
from velkin.cli.rendering import render
from velkin.cli.saying import Wrong, fail, say
from velkin.core.errors import NotSupported, VelkinError


class _Parser(argparse.ArgumentParser):
    def error(self, message: str) -> NoReturn:
        raise Wrong(f"{self.prog}: {message}")


def _build() -> _Parser:
    parser = _Parser(prog="velkin", description="Camera profiles, tags and checked hand-off.")
    parser.add_argument("--version", action="version", version=f"velkin {__version__}")
    verbs = parser.add_subparsers(dest="verb", required=True, parser_class=_Parser)

    def verb(name: str, help_text: str, run: Callable[[argparse.Namespace], int]) -> argparse.ArgumentParser:
        sub = verbs.add_parser(name, help=help_text, description=help_text)
        sub.add_argument("--json", action="store_true", help="print one JSON document (anywhere after the verb)")
        sub.set_defaults(run=run)
        return sub

    p = verb("inspect", "what each file is and says of its colour", inspect_files)
    p.add_argument("files", nargs="+", type=Path)

    p = verb("chart", "find and read a chart", chart)
    p.add_argument("file", type=Path)
    p.add_argument("--chart", required=True)
    p.add_argument("--grid")
    p.add_argument("--corners")

    p = verb("fit", "read a chart, fit a camera profile, write it", fit)
    p.add_argument("file", type=Path)
    p.add_argument("--chart", required=True)
    p.add_argument("--corners")
    p.add_argument("--grid")
    p.add_argument("--second", type=Path)
    p.add_argument("--light", default="auto")
    p.add_argument("--second-light")
    p.add_argument("--model", default="auto", choices=["auto", "matrix", "rootpoly", "table"])
    p.add_argument("--name", default="")
    p.add_argument("--keep-exposure", default="yes", choices=["yes", "no"])
    p.add_argument("--even-light", default="auto", choices=["auto", "on", "off"])
    p.add_argument("--tone", default="none", choices=["none", "standard"])
    p.add_argument("--encoding", choices=["linear", "srgb"])
    p.add_argument("--space", help="what a .cube gives (default romm)")
    p.add_argument("--icc-version", type=int, default=4, choices=[2, 4])
    p.add_argument("--cube-size", type=int, default=65, choices=[33, 65])
    p.add_argument("--copyright", default="")
    p.add_argument("--out", type=Path, nargs="+", required=True)
    p.add_argument("--replace", action="store_true")

    p = verb("render", "a raw file through a camera profile to a tagged picture", render)
    p.add_argument("file", type=Path)
    p.add_argument("--profile", type=Path)
    p.add_argument("--camera-rgb", action="store_true")
    p.add_argument("--encoding", choices=["linear", "srgb"])
    p.add_argument("--space", default="romm")
    p.add_argument("--bits", type=int, default=None, choices=[8, 16])
    p.add_argument("--balance", default=None)
    p.add_argument("--exposure", type=float, default=0.0)
    p.add_argument("--tone", default="none", choices=["none", "profile"])
    p.add_argument("--force", action="store_true", help="use a profile that was made for another camera")
    p.add_argument("--out", type=Path, required=True)
    p.add_argument("--replace", action="store_true")

    p = verb("assign", "a new tag, the same numbers", assign)
    p.add_argument("file", type=Path)
    p.add_argument("--space", required=True)
    p.add_argument("--page", type=int, default=1, help="which picture of a file that holds several, from 1")
    p.add_argument("--out", type=Path, required=True)
    p.add_argument("--replace", action="store_true")

    p = verb("convert", "the same look, new numbers", convert)
    p.add_argument("file", type=Path)
    p.add_argument("--to", required=True, metavar="SPACE")
    p.add_argument("--from", dest="source", metavar="SPACE")
    p.add_argument("--intent", default="relative", choices=["perceptual", "relative", "saturation", "absolute"])
    p.add_argument("--no-bpc", action="store_true", help="without black point compensation")
    p.add_argument("--bits", type=int, default=None, choices=[8, 16])
    p.add_argument("--no-dither", action="store_true")
    p.add_argument("--quality", type=int, default=95, choices=range(1, 101), metavar="1..100", help="of JPEG, WebP and AVIF")
    p.add_argument("--page", type=int, default=1, help="which picture of a file that holds several, from 1")
    p.add_argument("--out", type=Path, required=True)
    p.add_argument("--replace", action="store_true")

    p = verb("proof", "what a destination would lose", proof)
    p.add_argument("file", type=Path)
    p.add_argument("--to", required=True, metavar="SPACE")
    p.add_argument("--from", dest="source", metavar="SPACE")
    p.add_argument("--intent", default="relative", choices=["perceptual", "relative", "saturation", "absolute"])
    p.add_argument("--no-bpc", action="store_true", help="without black point compensation")
    p.add_argument("--page", type=int, default=1, help="which picture of a file that holds several, from 1")

    p = verb("ease", "bring in what a destination cannot hold; the picture stays in its own space", ease)
    p.add_argument("file", type=Path)
    p.add_argument("--to", required=True, metavar="SPACE")
    p.add_argument("--from", dest="source", metavar="SPACE")
    p.add_argument("--strength", type=float, default=1.0, metavar="0..1")
    p.add_argument("--page", type=int, default=1, help="which picture of a file that holds several, from 1")
    p.add_argument("--quality", type=int, default=95, choices=range(1, 101), metavar="1..100", help="of JPEG, WebP and AVIF")
    p.add_argument("--out", type=Path, required=True)
    p.add_argument("--replace", action="store_true")

    p = verb("handoff", "write and check a shoot's destinations", hand_off)
    p.add_argument("shoot", type=Path)
    p.add_argument("--to", action="append", metavar="DESTINATION", help="id or name; may be given several times")
    p.add_argument("--frames", nargs="+", metavar="NAME", help="only these frames")
    p.add_argument("--out", type=Path, help="a folder in place of the destinations' own")
    p.add_argument(
        "--existing", choices=["refuse", "skip", "number"], default="refuse", help="where a file of the name is there"
    )
    p.add_argument("--changed-too", action="store_true", help="also use sources that changed since they came in")
    p.add_argument("--receipt", type=Path, metavar="FILE", help="write a receipt, .html or .pdf")
    p.add_argument("--resume", action="store_true", help="go on with a hand-off that was interrupted")
    p.add_argument("--replace", action="store_true")
    return parser


_NOT_YET = ("match",)
_VERBS = ("inspect", "chart", "fit", "render", "assign", "convert", "proof", "ease", "handoff")


def main(argv: Sequence[str] | None = None) -> int:
    """Run the command line; the exit status."""
    words = list(sys.argv[1:] if argv is None else argv)
    if isinstance(sys.stdout, io.TextIOWrapper):
        sys.stdout.reconfigure(errors="backslashreplace")  # names that are no UTF-8 are printed escaped
    if not words or (
        words[0] not in _VERBS and not words[0].startswith(("-h", "--help", "--version")) and words[0] not in _NOT_YET
    ):
        return _window(words)
    as_json = "--json" in words
    try:
        if words[0] in _NOT_YET:
            raise NotSupported(f"the verb {words[0]!r} is not supported by this version")
        arguments = _build().parse_args([w for w in words if w != "--json"])
        arguments.json = as_json
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


def _window(words: list[str]) -> int:
    parser = _Parser(prog="velkin", description="Open the window. Verbs: " + ", ".join(_VERBS) + ".")
    parser.add_argument("shoot", nargs="?", type=Path)
    parser.add_argument("--demo", action="store_true", help="open the demo shoot, made on first use")
    parser.add_argument("--screenshot", type=Path, help="write a picture of the window and exit")
    try:
        arguments = parser.parse_args(words)
    except Wrong as error:
        say(str(error))
        return 2
    from velkin.app.main import start

    try:
        return start(arguments.shoot, arguments.demo, arguments.screenshot)
    except VelkinError as error:
        say(str(error))
        return 1
