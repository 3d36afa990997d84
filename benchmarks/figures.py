"""How the figures of `make bench` are told: a line each, what they aim at beside them, and at the end which aims were missed."""

from __future__ import annotations

import sys
import time
from collections.abc import Callable
from dataclasses import dataclass
from datetime import date

from busy import one_core_busy


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


def _sections(page: str) -> list[tuple[str, str]]:
    """Heads and texts of the parts of a page; the list of what was missed is none."""
    found = [piece.partition("\n") for piece in page.split("\n## ")[1:]]
    return [(name, text.strip()) for name, _, text in found if name != "Missed"]


class Report:
    """Prints figures as they come, and keeps them, and what was missed."""

    def __init__(self) -> None:
        self.missed: list[str] = []
        self.aims = 0
        self.rows: list[tuple[str, ...]] = []
        self._part = ""
        self._again = False

    def line(self, name: str, text: str, *about: Aim | str) -> None:
        """Print one figure, with remarks and aims; an aim that was missed is marked."""
        if self._again:
            self._beside(name, text)
            return
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

    def _beside(self, name: str, text: str) -> None:
        """A figure again, beside a busy core: it goes into the row of the first, and is held to nothing."""
        told = f"beside a busy core {text}"
        print(f"{name:58s} {text:>26s}   beside a busy core".rstrip(), flush=True)
        at = next((n for n, row in enumerate(self.rows) if row[:2] == (self._part, name.strip())), None)
        if at is not None:
            row = self.rows[at]
            self.rows[at] = (*row[:4], f"{row[4]}; {told}" if row[4] else told)

    def part(
        self, name: str, number: int, total: int, work: Callable[[], object], busy: Callable[[], object] | None = None
    ) -> None:
        """Run a part, and once more beside a `busy` core where that is given; how far the bench is goes to standard error, and a part that fails
        is told like a missed aim."""
        print(f"bench: part {number} of {total}, {name}", file=sys.stderr, flush=True)
        self._part = name
        begun = time.monotonic()
        try:
            work()
            if busy is not None:
                self._again = True
                with one_core_busy():
                    busy()
        except Exception as error:
            self.missed.append(f"part {name} failed: {type(error).__name__}: {error}")
            print(f"{name}: FAILED, {type(error).__name__}: {error}", flush=True)
        finally:
            self._again = False
        print(f"bench: {name} took {time.monotonic() - begun:.0f} s", file=sys.stderr, flush=True)

    def page(self, head: str, before: str = "", order: tuple[str, ...] = ()) -> str:
        """All figures as a Markdown page under a head, part by part, each with the day of its run; parts of the page as it was `before` that
        were not run now stay as they are. What was missed is told by the rows."""
        titles = {f"{name[0].upper()}{name[1:]}": name for name in order}
        parts = {titles.get(title, title): text for title, text in _sections(before)}
        for name in dict.fromkeys(row[0] for row in self.rows):
            rows = ["| " + " | ".join(cell.replace("|", "/") for cell in row[1:]) + " |" for row in self.rows if row[0] == name]
            table = ["| what | figure | held to | about it |", "|---|---|---|---|", *rows]
            parts[name] = "\n".join([f"Run on {date.today()}.", "", *table])
        known = [*(p for p in order if p in parts), *(p for p in parts if p not in order)]
        lines = [head.rstrip(), ""]
        for name in known:
            lines += ["", f"## {name[0].upper()}{name[1:]}", "", parts[name]]
        missed = [
            f"- {name}: " + ", ".join(cell.strip() for cell in row.split("|")[1:4])
            for name in known
            for row in parts[name].splitlines()
            if "**missed**" in row
        ]
        return "\n".join([*lines, "", "## Missed", "", "\n".join(missed) or "None.", ""])

    def end(self) -> None:
        """The last line: which aims were missed."""
        if not self.missed:
            print(f"All {self.aims} aims were met.", flush=True)
        else:
            print(f"Missed, {len(self.missed)} of {self.aims} aims: " + " | ".join(self.missed), flush=True)
