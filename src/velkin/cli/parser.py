"""The words of the command line: verbs, their options, and what each option takes."""

from __future__ import annotations

import argparse
from collections.abc import Callable
from pathlib import Path
from typing import NoReturn

from velkin import __version__
from velkin.cli.batches import each
from velkin.cli.charts import chart
from velkin.cli.converting import assign, convert
from velkin.cli.fields import flat
from velkin.cli.fitting import fit
from velkin.cli.handing_off import hand_off
from velkin.cli.inspecting import inspect_files
from velkin.cli.matching import apply, match
from velkin.cli.merging import merge
from velkin.cli.proofing import ease, proof
from velkin.cli.rendering import render
from velkin.cli.saying import Wrong
from velkin.cli.support import support

VERBS = (
    "inspect",
    "chart",
    "fit",
    "render",
    "flat",
    "support",
    "assign",
    "convert",
    "proof",
    "ease",
    "match",
    "apply",
    "merge",
    "handoff",
)

_WINDOW = """\
Without a verb the window opens:
  velkin                empty
  velkin SHOOT          on a shoot, NAME.velkin
  velkin --demo         on the demo shoot, which the simulator makes on first use
  velkin --screenshot FILE [SHOOT | --demo]
                        writes a PNG of the window and ends
"""

_SPACE = "SPACE is srgb, oprgb, p3, romm, bt2020, ecirgb, romm-linear (in any case), or a path to an ICC profile."
_CHART = "CHART is iso24 (24 patches, ISO 17321-1), velkin48, or a path to a CGATS, CSV or JSON definition."
_LIGHT = (
    "LIGHT is auto (from the frame's neutral through the camera's built-in matrices), A, D50, D55, D65, D75, a temperature in kelvin, "
    "or a CSV of wavelength in nm and power."
)
_CORNERS = (
    "the outer corners of the four corner patches, in pixels of the upright picture (0,0 is the top left corner of the first "
    "pixel), from the first patch's corner clockwise; without it the chart is looked for"
)
_GRID = "columns x rows of a chart file that does not say them, such as 6x4"
_BALANCE = (
    "white balance: camera (as shot, the default), chart (the profile's own chart), chart:FILE (the greys of a chart in FILE), "
    "chart:FILE,FILE… (between several of a light that moves, by the time that each was taken) "
    "or three multipliers R,G,B"
)
_INTENTS = ("perceptual", "relative", "saturation", "absolute")
_OUT_PICTURE = "the file to write: .tif, .png, .jpg, .webp, .avif or .jxl"


class Parser(argparse.ArgumentParser):
    """Wrong use is told in one line, by whoever called."""

    def error(self, message: str) -> NoReturn:
        raise Wrong(f"{self.prog}: {message}")


class _Help(argparse.RawDescriptionHelpFormatter):
    def __init__(self, prog: str) -> None:
        super().__init__(prog, max_help_position=28, width=110)


def build() -> Parser:
    """The parser of all verbs."""
    parser = Parser(
        prog="velkin",
        usage="velkin [SHOOT] | velkin --demo | velkin VERB …",
        description="Camera profiles, tags and checked hand-off, for photographers who answer for colour.\n\n" + _WINDOW,
        epilog="Each verb tells its options: velkin VERB --help",
        formatter_class=_Help,
    )
    parser.add_argument("--version", action="version", version=f"velkin {__version__}")
    verbs = parser.add_subparsers(dest="verb", required=True, parser_class=Parser, title="verbs", metavar="VERB", prog="velkin")

    def verb(name: str, help_text: str, run: Callable[[argparse.Namespace], int], *terms: str) -> argparse.ArgumentParser:
        sub = verbs.add_parser(name, help=help_text, description=help_text, epilog="\n".join(terms), formatter_class=_Help)
        sub.add_argument("--json", action="store_true", help="print one JSON document (anywhere after the verb)")
        sub.set_defaults(run=run)
        return sub

    p = verb("inspect", "what each file is and says of its colour", inspect_files)
    _files(p, "raw files and pictures")
    p.add_argument(
        "--contents", action="store_true", help="also list every part that a file holds, and what becomes of it in a new one"
    )
    _page(p)

    p = verb("chart", "find and read a chart", chart, _CHART)
    p.add_argument("file", type=Path, metavar="FILE", help="a raw file or a picture with the chart in it")
    _chart_options(p)

    p = verb("fit", "read a chart, fit a camera profile, write it", fit, _CHART, _LIGHT, _SPACE)
    p.add_argument("file", type=Path, metavar="FILE", help="the chart frame: a raw file, or a finished picture")
    _chart_options(p)
    p.add_argument("--second", type=Path, metavar="FILE2", help="a chart frame under a second light, for one profile of both")
    p.add_argument(
        "--also", metavar="FILE,FILE…", help="raw frames of the chart at other times, of a light that moves; with --at"
    )
    p.add_argument("--at", metavar="TIME", help="with --also: fit for this time between them, or for that of a raw file")
    _flat(p)
    p.add_argument("--light", default="auto", metavar="LIGHT", help="the light of the chart frame (default auto)")
    p.add_argument("--second-light", metavar="LIGHT", help="the light of FILE2 (default auto)")
    p.add_argument(
        "--model",
        default="auto",
        choices=["auto", "matrix", "rootpoly", "table"],
        help="from plain to rich; auto (default) takes the one that predicts unseen colours best",
    )
    p.add_argument("--name", default="", metavar="N", help="the profile's name (default: the file's)")
    p.add_argument(
        "--keep-exposure", default="yes", choices=["yes", "no"], help="keep the shot's exposure (default), or fit it"
    )
    p.add_argument(
        "--even-light",
        default="auto",
        choices=["auto", "on", "off"],
        help="correct uneven light on the chart: where it was judged uneven (auto, default), always, never",
    )
    p.add_argument("--tone", default="none", choices=["none", "standard"], help="without (default) or with a tone curve")
    p.add_argument(
        "--encoding", choices=["linear", "srgb"], help="the numbers an .icc takes: linear (default) or by sRGB's curve"
    )
    p.add_argument("--space", metavar="SPACE", help="the space a .cube gives (default romm)")
    p.add_argument("--icc-version", type=int, choices=[2, 4], help="of an .icc (default 4)")
    p.add_argument("--cube-size", type=int, choices=[33, 65], help="steps a side of a .cube (default 65)")
    p.add_argument("--copyright", default="", metavar="TEXT", help="the copyright line of what is written")
    p.add_argument(
        "--out", type=Path, nargs="+", required=True, metavar="P", help="files to write; .dcp, .icc, .cube or .json says which"
    )
    _replace(p)

    p = verb("render", "a raw file through a camera profile to a tagged picture", each(render), _SPACE)
    _files(p, "raw files")
    p.add_argument(
        "--profile",
        metavar="P",
        help=".dcp, .icc or .json (default: the camera's built-in matrices); with several charts one P,P… for each, mixed in time",
    )
    p.add_argument(
        "--camera-rgb", action="store_true", help="write balanced camera numbers, as .icc and .cube profiles expect them"
    )
    p.add_argument(
        "--for", dest="input_of", type=Path, metavar="P", help="with --camera-rgb: write just what this .icc or .cube takes"
    )
    p.add_argument("--encoding", choices=["linear", "srgb"], help="of --camera-rgb: linear (default) or by sRGB's curve")
    p.add_argument("--space", metavar="SPACE", help="the space to write (default romm)")
    p.add_argument("--bits", type=int, default=None, choices=[8, 16], help="default 16, where the format holds them")
    p.add_argument("--balance", default="camera", metavar="BALANCE", help=_BALANCE)
    p.add_argument(
        "--at",
        metavar="TIME",
        help="with several charts: this time in the place of FILE's own, 2026-05-04T10:25:00, or that of a raw file",
    )
    _flat(p)
    p.add_argument("--exposure", type=float, default=0.0, metavar="EV", help="-20 to 20 (default 0)")
    p.add_argument(
        "--tone", default="none", choices=["none", "profile"], help="without (default) or with the profile's tone curve"
    )
    p.add_argument("--force", action="store_true", help="use a profile that was made for another camera")
    _out(p, _OUT_PICTURE)
    _replace(p)

    p = verb(
        "flat", "how the light falls off over a frame of an even white board, and what evening by it leaves on others", flat
    )
    p.add_argument("file", type=Path, metavar="FLAT", help="a raw frame of an even white board in the light of the work")
    p.add_argument("others", nargs="*", type=Path, metavar="FILE", help="other such frames, to see what evening leaves on them")

    p = verb("support", "how much of a raw file no patch of its light's charts vouches for", support, _CHART)
    p.add_argument("file", type=Path, metavar="FILE", help="a raw file")
    p.add_argument("charts", nargs="+", type=Path, metavar="CHARTFILE", help="chart frames of the same camera and light")
    p.add_argument("--chart", default="iso24", metavar="CHART", help="which chart it is (default iso24)")
    p.add_argument("--grid", metavar="6x4", help=_GRID)
    _flat(p)

    p = verb("assign", "a new tag, the same numbers: numbers stay, look changes", each(assign), _SPACE)
    _files(p, "finished pictures")
    p.add_argument("--space", required=True, metavar="SPACE", help="what the numbers are to mean")
    _page(p)
    _out(p, "the file to write; a JPEG is not encoded anew")
    _replace(p)

    p = verb("convert", "the same look, new numbers: look stays, numbers change", each(convert), _SPACE)
    _files(p, "finished pictures")
    _to_and_from(p)
    _intent(p)
    p.add_argument("--bits", type=int, default=None, choices=[8, 16], help="default: the file's own")
    p.add_argument("--no-dither", action="store_true", help="do not dither when going to 8 bits")
    _quality(p)
    _page(p)
    _out(p, _OUT_PICTURE)
    _replace(p)

    p = verb("proof", "what a destination would lose", each(proof), _SPACE)
    _files(p, "raw files and finished pictures")
    _to_and_from(p)
    _intent(p)
    _page(p)

    p = verb("ease", "bring in what a destination cannot hold; the picture stays in its own space", each(ease), _SPACE)
    _files(p, "finished pictures")
    _to_and_from(p)
    p.add_argument("--strength", type=float, default=1.0, metavar="0..1", help="how much of it (default 1)")
    _page(p)
    _quality(p)
    _out(p, _OUT_PICTURE)
    _replace(p)

    p = verb("match", "learn what colours should be: look and numbers change", match, _CHART, _SPACE)
    p.add_argument(
        "reference", type=Path, metavar="REFERENCE", help="the picture whose colours are wanted; - where numbers are given"
    )
    p.add_argument("file", type=Path, metavar="FILE", help="the picture whose colours are to change")
    p.add_argument("--chart", metavar="CHART", help="learn from this chart, found in both (with - from its own reference)")
    p.add_argument("--grid", metavar="6x4", help=_GRID)
    p.add_argument(
        "--pairs", type=Path, metavar="FILE.csv", help="learn from points: file_x,file_y and ref_x,ref_y or L,a,b or r,g,b"
    )
    p.add_argument(
        "--aligned", action="store_true", help="learn from all of two pictures of the same, before and after a treatment"
    )
    p.add_argument(
        "--leave-out", action="append", metavar="X,Y,W,H", help="with --aligned: a part of FILE to leave out; may be repeated"
    )
    p.add_argument(
        "--greys",
        default="reference",
        choices=["reference", "neutral", "keep"],
        help="as in the reference (default), neutral, or kept",
    )
    p.add_argument("--normalise", default="none", choices=["none", "auto"], help="bring a flat picture to normal first")
    p.add_argument("--colour", type=float, default=1.0, metavar="0..1", help="how much of the change of colour (default 1)")
    p.add_argument(
        "--lightness", type=float, default=1.0, metavar="0..1", help="how much of the change of lightness (default 1)"
    )
    p.add_argument(
        "--exact", type=float, default=None, metavar="0..1", help="0 evenest, 1 exact (default: what pairs left out like best)"
    )
    p.add_argument(
        "--part",
        choices=["both", "normalise", "match"],
        help="write only what brings a flat picture to normal, or only the rest, for pictures that are normal (default both)",
    )
    p.add_argument("--size", type=int, choices=[17, 33, 65], help="steps of a .cube (default 33)")
    p.add_argument(
        "--space", metavar="SPACE", help="the numbers of a .cube or .icc (default: FILE's own); what untagged files mean"
    )
    p.add_argument(
        "--icc",
        choices=["input", "abstract"],
        help="an .icc takes numbers of --space (input, default), or any colours",
    )
    p.add_argument("--name", metavar="NAME", help="of the match")
    _page(p)
    _quality(p)
    p.add_argument(
        "--out", type=Path, nargs="+", required=True, metavar="P", help=".json, .cube, .icc, or FILE matched as a picture"
    )
    _replace(p)

    p = verb("apply", "a match or a look on a picture: look and numbers change", apply, _SPACE)
    p.add_argument("file", type=Path, metavar="FILE", help="a finished picture, which stays in its space")
    p.add_argument(
        "--match", type=Path, required=True, metavar="P", help="a match of Velkin's, .json, a table, .cube, or a profile, .icc"
    )
    p.add_argument("--strength", type=float, default=1.0, metavar="0..1.5", help="how much of it (default 1)")
    p.add_argument("--input", metavar="SPACE", help="the numbers that a .cube takes; what an untagged FILE means")
    p.add_argument("--output", metavar="SPACE", help="the numbers that a .cube gives (default: those it takes)")
    _page(p)
    _quality(p)
    p.add_argument("--out", type=Path, required=True, metavar="OUT", help=_OUT_PICTURE)
    _replace(p)

    p = verb("merge", "put the layers of a layered picture together, then convert it", merge, _SPACE)
    p.add_argument("file", type=Path, metavar="FILE", help="a layered picture, .ora")
    p.add_argument("--to", metavar="SPACE", help="the space to convert the merged picture to (default: its own)")
    p.add_argument(
        "--shift", action="store_true", help="with --to: also measure what converting each layer first would have moved"
    )
    p.add_argument("--bits", type=int, default=None, choices=[8, 16], help="default 16, where the format holds them")
    _quality(p)
    p.add_argument("--out", type=Path, required=True, metavar="OUT", help=_OUT_PICTURE + "; .ora with a single layer")
    _replace(p)

    p = verb("handoff", "write and check a shoot's destinations", hand_off)
    p.add_argument("shoot", type=Path, metavar="SHOOT", help="NAME.velkin")
    p.add_argument(
        "--to", action="append", metavar="DESTINATION", help="id or name, of the shoot or a starter; may be given several times"
    )
    p.add_argument("--frames", nargs="+", metavar="NAME", help="only these frames (default: all but chart and neutral frames)")
    p.add_argument("--out", type=Path, metavar="DIR", help="a folder in place of the destinations' own")
    p.add_argument(
        "--existing",
        choices=["refuse", "skip", "number"],
        default="refuse",
        help="if the file exists: refuse it (default), skip it, or write a numbered one",
    )
    p.add_argument("--changed-too", action="store_true", help="also use sources that changed since they came in")
    p.add_argument("--receipt", type=Path, metavar="FILE", help="write a receipt, .html or .pdf")
    p.add_argument("--resume", action="store_true", help="resume a hand-off that was interrupted")
    _at_once(p, "frames")
    _replace(p)
    return parser


def build_window() -> Parser:
    """The parser of what opens the window."""
    parser = Parser(prog="velkin", add_help=False)
    parser.add_argument("shoot", nargs="?", type=Path)
    parser.add_argument("--demo", action="store_true")
    parser.add_argument("--screenshot", type=Path)
    return parser


def _files(p: argparse.ArgumentParser, what: str) -> None:
    p.add_argument("files", nargs="+", type=Path, metavar="FILE", help=what)
    _at_once(p, "files")


def _at_once(p: argparse.ArgumentParser, what: str) -> None:
    p.add_argument(
        "--jobs", type=_jobs, default=None, metavar="N", help=f"how many {what} at once (default: as many as cores, at most 8)"
    )


def _jobs(text: str) -> int:
    if not text.isdigit() or not 1 <= int(text) <= 64:
        raise argparse.ArgumentTypeError("it takes a whole number from 1 to 64")
    return int(text)


def _out(p: argparse.ArgumentParser, what: str) -> None:
    p.add_argument("--out", type=Path, required=True, metavar="OUT", help=f"{what}; with several FILEs a folder")
    p.add_argument(
        "--format",
        choices=["tif", "png", "jpg", "webp", "avif", "jxl"],
        help="what to write into a folder (default: each file's own format where it can be written, else tif)",
    )


def _flat(p: argparse.ArgumentParser) -> None:
    p.add_argument(
        "--flat",
        type=Path,
        metavar="FLAT",
        help="even the field by this raw frame of a white board, of the same lens and aperture",
    )


def _chart_options(p: argparse.ArgumentParser) -> None:
    p.add_argument("--chart", required=True, metavar="CHART", help="which chart it is")
    p.add_argument("--grid", metavar="6x4", help=_GRID)
    p.add_argument("--corners", metavar="X,Y,X,Y,X,Y,X,Y", help=_CORNERS)


def _to_and_from(p: argparse.ArgumentParser) -> None:
    p.add_argument("--to", required=True, metavar="SPACE", help="the destination")
    p.add_argument("--from", dest="source", metavar="SPACE", help="what the file's numbers mean (default: what it says itself)")


def _intent(p: argparse.ArgumentParser) -> None:
    p.add_argument("--intent", default="relative", choices=_INTENTS, help="rendering intent (default relative)")
    p.add_argument("--no-bpc", action="store_true", help="without black point compensation")


def _page(p: argparse.ArgumentParser) -> None:
    p.add_argument(
        "--page", type=_number_from_one, default=1, metavar="N", help="which picture of a file that holds several, from 1"
    )


def _number_from_one(text: str) -> int:
    if not text.isascii() or not text.isdigit() or int(text) < 1:
        raise argparse.ArgumentTypeError(f"{text!r} is no number from 1")
    return int(text)


def _quality(p: argparse.ArgumentParser) -> None:
    p.add_argument(
        "--quality", type=int, default=95, choices=range(1, 101), metavar="1..100", help="of JPEG, WebP and AVIF (default 95)"
    )


def _replace(p: argparse.ArgumentParser) -> None:
    p.add_argument("--replace", action="store_true", help="replace a file that exists")
