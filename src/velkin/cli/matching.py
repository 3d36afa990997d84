"""`velkin match` and `velkin apply`: learning what colours should be from any evidence, and putting it on a picture."""

from __future__ import annotations

import argparse
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

from velkin.cli.charts import parse_grid
from velkin.cli.converting import page_of, say_left, say_pages
from velkin.cli.saying import Wrong, print_json, say
from velkin.cli.spaces import rgb_space_named, space_named
from velkin.core.errors import NotSupported, VelkinError

if TYPE_CHECKING:
    from velkin.core.icc.space import Space
    from velkin.core.match.pair import Pair
    from velkin.core.match.solver import Learnt
    from velkin.core.spaces.rgb import RGBSpace
    from velkin.core.stages.stage import Stage

_TABLES = (".cube", ".icc", ".json")


def match(arguments: argparse.Namespace) -> int:
    """Run the verb; the exit status."""
    from velkin.core.files.raw_names import is_raw_name
    from velkin.core.files.safely import refuse_output
    from velkin.core.match.baked import Amounts
    from velkin.core.match.match_file import KeptMatch
    from velkin.core.match.solver import Wish, learn

    _check(arguments)
    inputs = [arguments.file, *(p for p in (arguments.reference, arguments.pairs) if p is not None and str(p) != "-")]
    for out in arguments.out:
        refuse_output(out, inputs, arguments.replace)
    page = page_of(arguments)
    start = None if is_raw_name(arguments.file) else _meaning(arguments.file, arguments.space, page)
    pairs, left_out = _gathered(arguments, start, page)
    wish = Wish(arguments.greys, arguments.normalise, arguments.exact, arguments.greys == "keep")
    amounts = Amounts(arguments.colour, arguments.lightness)
    kept = KeptMatch(arguments.name or arguments.file.stem, tuple(pairs), wish, amounts)
    learnt = learn(kept.pairs, wish, kept.name)
    written = [_write(out, kept, learnt, start, arguments) for out in arguments.out]
    _report(arguments, learnt, left_out, written)
    return 0


def _check(arguments: argparse.Namespace) -> None:
    if not (arguments.chart or arguments.pairs or arguments.aligned):
        raise Wrong("say what to learn from: --chart, --pairs or --aligned, or several of them")
    if str(arguments.reference) == "-" and (arguments.aligned or not (arguments.pairs or arguments.chart)):
        raise Wrong("without a REFERENCE the pairs give numbers (--pairs), or the chart's own reference is meant (--chart)")
    if arguments.leave_out and not arguments.aligned:
        raise Wrong("--leave-out goes with --aligned")
    suffixes = {out.suffix.lower() for out in arguments.out}
    if len({out.absolute() for out in arguments.out}) != len(arguments.out):
        raise Wrong("--out names the same file twice")
    if arguments.size is not None and ".cube" not in suffixes:
        raise Wrong("--size goes with a .cube")
    if arguments.icc is not None and ".icc" not in suffixes:
        raise Wrong("--icc goes with an .icc")
    if arguments.part is not None and suffixes == {".json"}:
        raise Wrong("--part goes with tables, profiles and pictures; a .json holds all of the match")
    for name, value, high in (
        ("colour", arguments.colour, 1.0),
        ("lightness", arguments.lightness, 1.0),
        ("exact", arguments.exact, 1.0),
    ):
        if value is not None and not 0.0 <= value <= high:
            raise Wrong(f"--{name} {value:g} is not within 0 to {high:g}")


def _meaning(file: Path, given: str | None, page: int) -> Space:
    """What a finished picture's numbers mean: its tag, else ``--space``. Raises VelkinError where nothing says it."""
    from velkin.core.tags.inspect import inspect

    found = inspect(file, page)
    say_pages(file, found.pages, page)
    if found.said is not None:
        return found.said
    if given is not None:
        return space_named(given)
    why = "its profile is damaged" if found.tag.state == "damaged" else "it is untagged"
    raise VelkinError(f"{why}, so that nothing says what its numbers mean; say it with --space", file)


def _light(file: Path, space: str | None, page: int) -> Any:
    """Linear ROMM RGB (H, W, 3) of a raw file, as built in and as shot, or of a finished picture."""
    from velkin.core.conversion.light import linear_in
    from velkin.core.files.raw import decode, read_facts
    from velkin.core.files.raw_names import is_raw_name
    from velkin.core.path import path_of
    from velkin.core.render import to_working
    from velkin.core.sources import decode_source
    from velkin.core.spaces.rgb import ROMM
    from velkin.core.stages.camera import built_in_stage
    from velkin.core.stages.source import PictureSource

    if is_raw_name(file):
        return to_working(decode(file), path_of(built_in_stage(read_facts(file)), ROMM, ROMM))
    start = _meaning(file, space, page)
    return linear_in(decode_source(file, PictureSource(start, True, page)), start, ROMM)


def _gathered(arguments: argparse.Namespace, start: Space | None, page: int) -> tuple[list[Pair], float | None]:
    """The pairs of all evidence asked for, and the share of an aligned picture that was left out."""
    from velkin.core.charts.built_in import chart_named
    from velkin.core.match.aligned import pairs_of_aligned
    from velkin.core.match.gathering import pairs_of_charts, pairs_of_table, pairs_to_chart

    here = _light(arguments.file, arguments.space, page)
    reference = None if str(arguments.reference) == "-" else _light(arguments.reference, arguments.space, 0)
    pairs: list[Pair] = []
    left_out = None
    if arguments.chart:
        chart = chart_named(arguments.chart, parse_grid(arguments.grid))
        pairs += pairs_to_chart(here, chart) if reference is None else pairs_of_charts(here, reference, chart)
    if arguments.pairs:
        try:
            text = arguments.pairs.read_text(encoding="utf-8-sig")
        except (OSError, UnicodeDecodeError) as error:
            raise VelkinError(f"the pairs cannot be read ({error})", arguments.pairs) from error
        try:
            pairs += pairs_of_table(text, here, reference, _decoder(start))
        except VelkinError as error:
            error.file = arguments.pairs
            raise
    if arguments.aligned:
        assert reference is not None
        found = pairs_of_aligned(here, reference, [_box(text) for text in arguments.leave_out or ()])
        pairs += found.pairs
        left_out = found.left_out
    return pairs, left_out


def _decoder(start: Space | None) -> Any:
    """Linear ROMM RGB (3,) of encoded numbers (3,) of the picture's own space; ROMM's for raw files."""
    import numpy as np

    from velkin.core.conversion.light import linear_in
    from velkin.core.spaces.rgb import ROMM

    return lambda numbers: linear_in(np.asarray(numbers, dtype=np.float32)[None], start or ROMM, ROMM)[0]


def _box(text: str) -> tuple[int, int, int, int]:
    parts = text.split(",")
    if len(parts) != 4 or not all(p.strip().isdigit() for p in parts):
        raise Wrong(f"--leave-out takes X,Y,W,H in whole pixels, not {text!r}")
    x, y, width, height = (int(p) for p in parts)
    return x, y, width, height


def _table_space(arguments: argparse.Namespace, start: Space | None) -> RGBSpace:
    """The space whose numbers a table takes and gives: ``--space``, else the file's own."""
    from velkin.core.spaces.rgb import ROMM, RGBSpace

    if arguments.space is not None:
        return rgb_space_named(arguments.space)
    if start is None:
        return ROMM
    if not isinstance(start, RGBSpace):
        raise NotSupported(f"a table of {start.name} is not written; say an RGB space with --space", arguments.file)
    return start


def _write(out: Path, kept: Any, learnt: Learnt, start: Space | None, arguments: argparse.Namespace) -> dict[str, str]:
    from velkin.core.files.safely import write_whole
    from velkin.core.handoff.copies import CopyWish
    from velkin.core.handoff.looked import looked_path, write_looked
    from velkin.core.match.baked import Amounts
    from velkin.core.match.export import As, ExportWish, match_bytes
    from velkin.core.match.match import Part
    from velkin.core.spaces.rgb import ROMM
    from velkin.core.stages.matching import Matched

    suffix, part = out.suffix.lower(), Part(arguments.part or Part.BOTH)
    if suffix in (".json", ".cube", ".icc"):
        kind = {".json": As.OWN, ".cube": As.CUBE}.get(suffix, As.ABSTRACT if arguments.icc == "abstract" else As.INPUT)
        space = _table_space(arguments, start) if kind in (As.CUBE, As.INPUT) else ROMM
        wish = ExportWish(kind, space, arguments.size or 33, part)
        write_whole(out, match_bytes(kept, learnt.match, wish), arguments.replace)
        takes, gives = wish.words()
        return {"path": str(out), "input": takes, "output": gives}
    if start is None:
        raise NotSupported("a raw file has no space of its own to stay in; render it first, or write a table", arguments.file)
    copy = CopyWish(out, page=page_of(arguments), quality=arguments.quality, replace=arguments.replace)
    amounts = Amounts() if part is Part.NORMAL else kept.amounts
    write_looked(arguments.file, looked_path(start, Matched(learnt.match.part(part), amounts)), copy)
    return {"path": str(out), "input": start.name, "output": start.name}


def _report(arguments: argparse.Namespace, learnt: Learnt, left_out: float | None, written: list[dict[str, str]]) -> None:
    figures, steep = learnt.figures, learnt.figures.steepness
    normalised, many = learnt.match.normalising.changes, len(learnt.match.pairs)
    if arguments.json:
        document: dict[str, Any] = {
            "pairs": len(learnt.match.pairs),
            "from": {origin.value: count for origin, count in learnt.origins().items()},
            "mean": figures.mean,
            "p95": figures.p95,
            "worst": figures.worst,
            "leave_one_out": figures.leave_one_out,
            "before": {"mean": figures.before},
            "greys": arguments.greys,
            "normalised": normalised,
            "exact": figures.exact,
            "folds": steep.folds,
            "largest_gain": steep.largest_gain,
            "contradictions": [c.words() for c in figures.contradictions],
            "left_out": left_out,
            "written": written,
        }
        print_json(document)
        return
    print(
        f"learnt from {many} pair{'' if many == 1 else 's'}: ΔE00 {figures.mean:.2f} mean (before {figures.before:.2f}), {figures.p95:.2f} at the 95th "
        f"percentile, {figures.worst:.2f} at worst; left out in turn {figures.leave_one_out:.2f}"
    )
    if left_out is not None:
        print(f"  {100 * left_out:.0f} % of the picture was left out: edges, and places where the two disagree")
    if normalised:
        print("  the picture was flat and was brought to normal first")
    print(f"  largest stretch of a small difference {steep.largest_gain:.1f} times" + ("; it folds" if steep.folds else ""))
    for contradiction in figures.contradictions[:5]:
        print(f"  {contradiction.words()}")
    for row in written:
        print(f"written {row['path']}")


def apply(arguments: argparse.Namespace) -> int:
    """Run the verb; the exit status."""
    from velkin.core.files.raw_names import is_raw_name
    from velkin.core.handoff.copies import CopyWish
    from velkin.core.handoff.looked import looked_path, write_looked

    if not 0.0 <= arguments.strength <= 1.5:
        raise Wrong(f"--strength {arguments.strength:g} is not within 0 to 1.5")
    if is_raw_name(arguments.file):
        raise NotSupported("a raw file has no space of its own to stay in; render it first", arguments.file)
    page = page_of(arguments)
    start = _meaning(arguments.file, arguments.input, page)
    look = _look(arguments, start)
    wish = CopyWish(arguments.out, page=page, quality=arguments.quality, replace=arguments.replace)
    done = write_looked(arguments.file, looked_path(start, look), wish)
    say_left(arguments.file, done.left)
    if done.not_numbers:
        say(f"{arguments.file.name}: {done.not_numbers} samples were no numbers, or beyond 65504, and were set to 0 or 1")
    clipped: dict[str, Any] = {}
    if done.outside is not None:
        clipped = {c: {"low": low, "high": high} for c, (low, high) in zip("rgb", done.outside.shares(), strict=True)}
    if arguments.json:
        from velkin.core.icc.space import family

        print_json({"out": str(done.out), "space": family(start) or start.name, "clipped": clipped})
    else:
        print(f"written {done.out} in {start.name}: look and numbers change")
    return 0


def _look(arguments: argparse.Namespace, start: Space) -> Stage:
    """The stage that ``--match`` names: what its numbers are is asked for, else as it says, else those of the picture's own space."""
    from velkin.core.looks.kept import GIVING, LookKind
    from velkin.core.looks.reading import read_look
    from velkin.core.spaces.rgb import RGBSpace
    from velkin.core.stages.given_look import GivenLook

    file: Path = arguments.match
    look = read_look(file)
    if look.kind is LookKind.MATCH and (arguments.input or arguments.output):
        raise Wrong("--input and --output go with a .cube; a match works in the picture's own space")
    if look.kind not in GIVING and arguments.output:
        raise Wrong("--output goes with a .cube or a device link; a profile says itself what it gives")
    if look.kind in (*GIVING, LookKind.PROFILE):
        takes = rgb_space_named(arguments.input) if arguments.input else look.takes
        if takes is None:
            if not isinstance(start, RGBSpace):
                raise Wrong(f"{file.name} does not say what numbers it takes; say it with --input")
            say(f"{file.name} does not say what numbers it takes; it is given those of {start.name}, the picture's own")
            takes = start
        look = replace(look, takes=takes, gives=rgb_space_named(arguments.output) if arguments.output else takes)
    return GivenLook(look, arguments.strength)
