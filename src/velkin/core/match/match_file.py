"""Velkin's own file of a match, JSON: the pairs and how they were learnt, from which it is learnt anew, the same to the last number."""

from __future__ import annotations

import json
from dataclasses import dataclass, field
from pathlib import Path

from velkin.core.errors import BadProfile, UnreadableFile
from velkin.core.files.checked_json import refused_as
from velkin.core.match.baked import Amounts
from velkin.core.match.pair import Origin, Pair
from velkin.core.match.solver import Learnt, Wish, learn

_FORMAT, _VERSION = "Velkin match", 1
_LARGEST = 20_000_000


@dataclass(frozen=True)
class KeptMatch:
    """A match with how it was wished and how much of it is taken."""

    name: str
    pairs: tuple[Pair, ...]
    wish: Wish
    amounts: Amounts = field(default_factory=Amounts)

    def learnt(self, quick: bool = False) -> Learnt:
        """Learn it anew, `quick` as `learn` has it. Raises FitRefused."""
        return learn(self.pairs, self.wish, self.name, quick)


def match_to_json(kept: KeptMatch) -> str:
    """The file's text."""
    rows = [
        {
            "here": list(p.here), "wanted": list(p.wanted), "origin": p.origin.value, "name": p.name, "spread": p.spread,
            "weight": p.weight,
        }
        for p in kept.pairs
    ]  # fmt: skip
    wish = kept.wish
    document = {
        "format": _FORMAT,
        "version": _VERSION,
        "name": kept.name,
        "colours": "Oklab, of XYZ D50 adapted to D65",
        "learnt": {"greys": wish.greys, "normalise": wish.normalise, "exact": wish.exact, "fixed_ends": wish.fixed_ends},
        "amounts": {"colour": kept.amounts.colour, "lightness": kept.amounts.lightness},
        "pairs": rows,
    }
    return json.dumps(document, indent=1, ensure_ascii=False) + "\n"


def match_from_json(text: str) -> KeptMatch:
    """The match that `match_to_json` wrote. Raises BadProfile."""
    with refused_as(lambda why: BadProfile(f"the match {why}")):
        data = json.loads(text)
        if data["format"] != _FORMAT:
            raise BadProfile("this is no match of Velkin's")
        if int(data["version"]) > _VERSION:
            raise BadProfile("the match was written by a newer version of Velkin")
        pairs = tuple(
            Pair(_colour(p["here"]), _colour(p["wanted"]), Origin(p["origin"]), str(p["name"]), float(p["spread"]), float(p["weight"]))
            for p in data["pairs"]
        )  # fmt: skip
        w = data["learnt"]
        if w["greys"] not in ("reference", "neutral", "keep") or w["normalise"] not in ("none", "auto"):
            raise BadProfile("the match was learnt in a way that is not known")
        exact = None if w["exact"] is None else float(w["exact"])
        wish = Wish(w["greys"], w["normalise"], exact, bool(w["fixed_ends"]))
        amounts = Amounts(float(data["amounts"]["colour"]), float(data["amounts"]["lightness"]))
        return KeptMatch(str(data["name"]), pairs, wish, amounts)


def _colour(values: list[float]) -> tuple[float, float, float]:
    a, b, c = (float(v) for v in values)
    return a, b, c


def load_match(path: Path) -> KeptMatch:
    """The match in a file. Raises UnreadableFile, BadProfile."""
    try:
        if path.stat().st_size > _LARGEST:
            raise BadProfile("the file is far larger than a match", path)
        return match_from_json(path.read_text(encoding="utf-8"))
    except OSError as error:
        raise UnreadableFile(f"the match cannot be read ({error.strerror})", path) from error
    except UnicodeDecodeError as error:
        raise BadProfile("the match is no text", path) from error
    except BadProfile as error:
        raise BadProfile(error.message, path) from error
