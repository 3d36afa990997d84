"""SPACE on the command line: an id in any case, or a path to an ICC profile. The one place where such a word is understood."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from velkin.core.errors import NotSupported

if TYPE_CHECKING:
    from velkin.core.icc.space import Space
    from velkin.core.spaces.rgb import RGBSpace


def space_named(text: str) -> Space:
    """The space that SPACE names.

    Raises
    ------
    NotSupported
        When it is neither an id nor a file.
    BadProfile
        When the profile cannot be used.
    """
    from velkin.core.icc.space import built_in_space, load_space
    from velkin.core.spaces.rgb import BUILT_IN

    found = built_in_space(text.lower()) if text.lower() != "lab" else None
    if found is not None:
        return found
    if not Path(text).exists():
        raise NotSupported(f"the space {text!r} is neither one of {', '.join(BUILT_IN)} nor a profile's file")
    return load_space(Path(text))


def rgb_space_named(text: str) -> RGBSpace:
    """The built-in RGB space that SPACE names: by its id, or by a profile that does what it does.

    Raises
    ------
    NotSupported, BadProfile
    """
    from velkin.core.icc.space import family
    from velkin.core.spaces.rgb import BUILT_IN

    known = family(space_named(text))
    if known not in BUILT_IN:
        raise NotSupported(f"the space {text!r} is none of {', '.join(BUILT_IN)}, which this version needs here", text)
    return BUILT_IN[known]
