"""What a look is, in the rows in which benches and sheets show it."""

from __future__ import annotations

from velkin.core.looks.kept import KeptLook, LookKind

_KINDS = {
    LookKind.MATCH: "a match, learnt from pairs",
    LookKind.TABLE: "a table, .cube",
    LookKind.LINK: "an ICC device link",
    LookKind.PROFILE: "an ICC profile of RGB",
    LookKind.ABSTRACT: "an ICC abstract profile",
}


def look_rows(look: KeptLook) -> list[tuple[str, str]]:
    """Name, kind, and what the numbers are that it takes and gives."""
    rows = [("Look", look.name), ("Kind", _KINDS[look.kind])]
    takes, gives = look.takes, look.gives
    if takes is None:
        return [*rows, ("Takes", "colours of any picture")]
    if gives is None or gives == takes:
        return [*rows, ("Takes", takes.name)] if look.kind is LookKind.PROFILE else [*rows, ("Numbers", takes.name)]
    return [*rows, ("Takes", takes.name), ("Gives", gives.name)]
