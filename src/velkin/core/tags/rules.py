"""Intake rules: what happens to a file's colour as it arrives, by what it says of itself.

The defaults never change a number: what is tagged is kept, what is not known is held.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Final, Literal

from velkin.core.icc.space import Space, same
from velkin.core.spaces.rgb import RGBSpace
from velkin.core.tags.ledger import Entry, Verb

Action = Literal["keep", "convert", "give", "hold"]
KEEP: Final = "keep"
CONVERT_NOW: Final = "convert"
GIVE: Final = "give"
HOLD: Final = "hold"

#: The decisions in the program's words.
ACTION_WORDS: dict[Action, str] = {KEEP: "keep", CONVERT_NOW: "convert on arrival", GIVE: "assign a space", HOLD: "hold for me"}

#: Every case, in words, with the decisions that make sense for it.
Case = Literal["matches", "another", "claimed", "untagged", "damaged", "model"]
CASES: dict[Case, tuple[str, tuple[Action, ...]]] = {
    "matches": ("tagged, same as the working space", (KEEP, HOLD)),
    "another": ("tagged, another space", (KEEP, CONVERT_NOW, HOLD)),
    "claimed": ("untagged, metadata claims a space", (HOLD, KEEP, CONVERT_NOW, GIVE)),
    "untagged": ("untagged, no claim", (HOLD, GIVE, KEEP)),
    "damaged": ("tag damaged or not usable", (HOLD, GIVE, KEEP)),
    "model": ("tagged gray, CMYK or Lab", (KEEP, CONVERT_NOW, HOLD)),
}


@dataclass(frozen=True)
class Rule:
    """A decision, and the id of the space that *give* gives."""

    action: Action
    space: str = ""


@dataclass(frozen=True)
class IntakeRules:
    """The decision for every case."""

    matches: Rule = Rule(KEEP)
    another: Rule = Rule(KEEP)
    claimed: Rule = Rule(HOLD)
    untagged: Rule = Rule(HOLD)
    damaged: Rule = Rule(HOLD)
    model: Rule = Rule(KEEP)

    def of(self, case: Case) -> Rule:
        """The rule of a case."""
        rule = getattr(self, case)
        assert isinstance(rule, Rule)
        return rule

    def with_rule(self, case: Case, rule: Rule) -> IntakeRules:
        """These rules with another decision for a case; one that makes no sense for it raises ValueError."""
        if rule.action not in CASES[case][1]:
            raise ValueError(f"{rule.action} makes no sense for {case}")
        return replace(self, **{case: rule})


@dataclass(frozen=True)
class Ruled:
    """What the rules made of an arrival.

    Attributes
    ----------
    case : str
    action : str
        What was done; *hold* where the rule's decision could not be.
    entries : tuple of Entry
        The beginning of its ledger.
    """

    case: Case
    action: Action
    entries: tuple[Entry, ...]

    @property
    def held(self) -> bool:
        """Whether a decision waits."""
        return self.action == HOLD


def case_of(state: str, model: str, said: Space | None, working: RGBSpace) -> Case:
    """The case of a file by its tag state, colour model and what its tag or claim means."""
    if state == "damaged" or (said is None and state != "untagged"):
        return "damaged"
    if state == "untagged":
        return "untagged"
    if state == "claimed":
        return "claimed"
    if model != "rgb":
        return "model"
    return "matches" if same(said, working) else "another"


def ruled(
    state: str,
    model: str,
    said: Space | None,
    *,
    working: RGBSpace,
    rules: IntakeRules,
    space: Callable[[str], Space | None],
    at: str = "",
) -> Ruled:
    """What the rules make of a file that arrives in a shoot working in `working`."""
    case = case_of(state, model, said, working)
    rule = rules.of(case)
    why = f"rule: {ACTION_WORDS[rule.action]}"
    claim = (
        (Entry(Verb.ASSIGN, said.id, at=at, why="its metadata claims it"),) if case == "claimed" and said is not None else ()
    )
    if rule.action == KEEP:
        left = (Entry(Verb.LEAVE, at=at, why=why),) if case in ("untagged", "damaged") else claim
        return Ruled(case, KEEP, left)
    if rule.action == CONVERT_NOW and said is not None:
        return Ruled(case, CONVERT_NOW, (*claim, Entry(Verb.CONVERT, working.id, at=at, why=why)))
    if rule.action == GIVE:
        given = space(rule.space)
        if given is not None and given.model == model:
            return Ruled(case, GIVE, (Entry(Verb.ASSIGN, given.id, at=at, why=why),))
    return Ruled(case, HOLD, ())
