"""How the figures of `make bench` are told: a line each, what they aim at beside them, and at the end which aims were missed."""

from __future__ import annotations

import sys
import time
from collections.abc import Callable
from dataclasses import dataclass


@dataclass(frozen=True)
class Aim:
    """A figure and the limit it is held to."""

    measured: float
    limit: float
    words: str
    met: bool


def at_most(measured: float, limit: float, unit: str = "") -> Aim:
    """An aim that is met by a figure of `limit` or less."""
    return Aim(measured, limit, f"aim ≤ {limit:g}{unit and ' ' + unit}", bool(measured <= limit))


def at_least(measured: float, limit: float, unit: str = "") -> Aim:
    """An aim that is met by a figure of `limit` or more."""
    return Aim(measured, limit, f"aim ≥ {limit:g}{unit and ' ' + unit}", bool(measured >= limit))


class Report:
    """Prints figures as they come, and keeps them, and what was missed."""

    def __init__(self) -> None:
        self.missed: list[str] = []
        self.aims = 0
        self.rows: list[tuple[str, ...]] = []
        self._part = ""

    def line(self, name: str, text: str, *about: Aim | str) -> None:
        """Print one figure, with remarks and aims; an aim that was missed is marked."""
        words = []
        aims = [each for each in about if isinstance(each, Aim)]
        about_it = "; ".join(each for each in about if isinstance(each, str) and each)
        held = "; ".join(a.words if a.met else f"{a.words}, **missed**" for a in aims)
        self.rows.append((self._part, name.strip(), text, held, about_it))
        for each in about:
            if isinstance(each, Aim):
                self.aims += 1
                if not each.met:
                    self.missed.append(f"{name.strip()}: {each.measured:.3g}, {each.words}")
                words.append(each.words if each.met else f"{each.words} MISSED")
            elif each:
                words.append(each)
        print(f"{name:58s} {text:>26s}   {'; '.join(words)}".rstrip(), flush=True)

    def part(self, name: str, number: int, total: int, work: Callable[[], object]) -> None:
        """Run a part; how far the bench is goes to standard error, and a part that fails is told like a missed aim."""
        print(f"bench: part {number} of {total}, {name}", file=sys.stderr, flush=True)
        self._part = name
        begun = time.monotonic()
        try:
            work()
        except Exception as error:
            self.missed.append(f"part {name} failed: {type(error).__name__}: {error}")
            print(f"{name}: FAILED, {type(error).__name__}: {error}", flush=True)
        print(f"bench: {name} took {time.monotonic() - begun:.0f} s", file=sys.stderr, flush=True)

    def page(self, head: str) -> str:
        """All figures as a Markdown page under a head, part by part."""
        lines = [head.rstrip(), ""]
        part = None
        for row in self.rows:
            if row[0] != part:
                part = row[0]
                lines += [
                    "",
                    f"## {part[0].upper()}{part[1:]}",
                    "",
                    "| what | figure | held to | about it |",
                    "|---|---|---|---|",
                ]
            lines.append("| " + " | ".join(cell.replace("|", "/") for cell in row[1:]) + " |")
        missed = "\n".join(f"- {m}" for m in self.missed) or "None."
        return "\n".join([*lines, "", "## Missed", "", missed, ""])

    def end(self) -> None:
        """The last line: which aims were missed."""
        if not self.missed:
            print(f"All {self.aims} aims were met.", flush=True)
        else:
            print(f"Missed, {len(self.missed)} of {self.aims} aims: " + " | ".join(self.missed), flush=True)
