"""What the numbers of a picture mean: an RGB space of matrix and curves, or whatever an ICC profile says.

`RGBSpace` is computed by Velkin itself; `ICCSpace` (tables, gray, CMYK, Lab) is known by its profile only.
"""

from __future__ import annotations

import hashlib
from dataclasses import dataclass, field, replace
from functools import lru_cache
from pathlib import Path

import imagecodecs
import numpy as np

from velkin.core.errors import BadProfile
from velkin.core.icc.matrix import matrix_space
from velkin.core.icc.read import LARGEST, parse
from velkin.core.icc.recognise import recognise
from velkin.core.icc.transform import check_source
from velkin.core.icc.write import gray_profile, matrix_profile
from velkin.core.icc.write_output import OutputTables, lab_grid, output_profile
from velkin.core.spaces.adaptation import D50
from velkin.core.spaces.lab import lab_to_xyz, xyz_to_lab
from velkin.core.spaces.rgb import BUILT_IN, ECIRGB, SRGB, RGBSpace, family_of
from velkin.core.spaces.transfer import AnyTransfer, Sampled, Transfer

#: Number of channels of each colour model, alpha not counted.
CHANNELS = {"rgb": 3, "gray": 1, "cmyk": 4, "lab": 3}


@dataclass(frozen=True)
class ICCSpace:
    """A space known by its ICC profile.

    Attributes
    ----------
    id : str
        ``icc-`` and the beginning of the profile's hash, or the id of a built-in gray or Lab space.
    name : str
    model : str
        ``rgb``, ``gray``, ``cmyk`` or ``lab``.
    kind : str
        Class of the profile: ``input``, ``display``, ``output`` or ``space``.
    icc : bytes
    """

    id: str
    name: str
    model: str
    kind: str
    icc: bytes = field(repr=False, compare=False)
    family = ""


Space = RGBSpace | ICCSpace

#: Encoded CIE Lab of Lab pictures; its profile is never embedded.
LAB = ICCSpace("lab", "CIE Lab", "lab", "space", imagecodecs.cms_profile("lab4"))


def _dot_gain(gain: float) -> Sampled:
    """The curve of gray as ink of so much dot gain at half tone: a dot of the size a prints as a + 4 g a (1 - a), and light is what is left."""
    ink = 1.0 - np.linspace(0.0, 1.0, 1024)
    return Sampled(1.0 - (ink + 4.0 * gain * ink * (1.0 - ink)))


_GRAYS: tuple[tuple[str, str, AnyTransfer], ...] = (
    ("gray-srgb", "Gray, sRGB curve", SRGB.transfer),
    ("gray-22", "Gray, gamma 2.2", Transfer(2.2)),
    ("gray-18", "Gray, gamma 1.8", Transfer(1.8)),
    ("gray-l", "Gray, L*", ECIRGB.transfer),
    ("gray-dot-15", "Gray, dot gain 15 %", _dot_gain(0.15)),
    ("gray-dot-20", "Gray, dot gain 20 %", _dot_gain(0.20)),
)
#: Other names of gray spaces, on the command line.
_ALSO = {
    "gray-gamma-2.2": "gray-22",
    "gray-gamma-1.8": "gray-18",
    "gray-lstar": "gray-l",
    "dot-gain-15": "gray-dot-15",
    "dot-gain-20": "gray-dot-20",
}


@lru_cache(maxsize=1)
def grays() -> dict[str, ICCSpace]:
    """The gray spaces that untagged gray pictures can be given, by id."""
    return {
        i: ICCSpace(i, name, "gray", "display", gray_profile(name, t))
        for i, name, t in _GRAYS
        if isinstance(t, Transfer | Sampled)
    }


def in_gray(space: Space) -> ICCSpace | None:
    """The gray space with the curve of an RGB space, for gray pictures that name one; None where none of the built-in has its curve.

    Examples
    --------
    >>> found = in_gray(SRGB)
    >>> found.id if found else ""
    'gray-srgb'
    """
    if not isinstance(space, RGBSpace):
        return None
    return next((grays()[i] for i, _, t in _GRAYS if t == space.transfer), None)


def for_model(space: Space, model: str) -> Space:
    """A space as it is meant for pictures of a colour model: sRGB and its like, for gray ones, is gray with its curve."""
    return (in_gray(space) or space) if model == "gray" else space


@lru_cache(maxsize=1)
def plain_ink() -> ICCSpace:
    """What CMYK without a profile is shown through for now: ink taken away from sRGB, which stands for no press."""
    steps = np.linspace(0.0, 1.0, 9)
    ink = np.stack(np.meshgrid(steps, steps, steps, steps, indexing="ij"), axis=-1)
    rgb = (1.0 - ink[..., :3]) * (1.0 - ink[..., 3:])
    lab = xyz_to_lab(SRGB.decode(rgb) @ SRGB.to_xyz.T)
    # the way back is not converted to, but its black is where black point compensation begins
    side = 17
    wanted = np.clip(SRGB.encode(np.clip(lab_to_xyz(lab_grid(side)) @ SRGB.from_xyz.T, 0.0, 1.0)), 0.0, 1.0)
    black = 1.0 - wanted.max(axis=1, keepdims=True)
    back = np.hstack([(1.0 - wanted - black) / np.maximum(1.0 - black, 1e-6), black])
    tables = OutputTables(lab, np.clip(back, 0.0, 1.0).reshape(side, side, side, 4))
    data = output_profile("Plain ink, no press", tables, tables, white=D50)
    return ICCSpace("plain-ink", "plain ink", "cmyk", "output", data)


def shown_for_now(model: str) -> Space:
    """What numbers that nothing explains are shown in until it is decided.

    Examples
    --------
    >>> shown_for_now("gray").name
    'Gray, sRGB curve'
    """
    return {"gray": grays()["gray-srgb"], "cmyk": plain_ink(), "lab": LAB}.get(model, SRGB) if model != "rgb" else SRGB


def profile_of(space: Space, version: int = 4) -> bytes:
    """The ICC profile to embed for a space: the one it was read from, else one that Velkin writes.

    Examples
    --------
    >>> len(profile_of(SRGB)) == int.from_bytes(profile_of(SRGB)[:4], "big")
    True
    """
    if space.icc is not None:
        return space.icc
    assert isinstance(space, RGBSpace)
    return matrix_profile(space, 2 if version == 2 else 4)


@lru_cache(maxsize=128)
def space_of(data: bytes) -> Space:
    """The space that a profile describes; one that equals a built-in space is known by that space's name.

    Raises
    ------
    BadProfile
        When it is damaged, of a class that gives pictures no meaning, or cannot be used.

    Examples
    --------
    >>> space_of(profile_of(SRGB)).family
    'srgb'
    """
    profile = parse(data)
    if profile.model not in CHANNELS or profile.kind not in ("input", "display", "output", "space"):
        raise BadProfile(f"an ICC profile of the class {profile.kind} for {profile.model} gives a picture no meaning")
    own_words = " ".join(profile.description.split()) or "unnamed profile"
    if profile.model == "rgb":
        like = recognise(data)
        found = matrix_space(profile, like.name if like else own_words, like.id if like else "")
        if found is not None and like is not None and _rounded_from(found, like):
            return replace(like, id=found.id, family=like.id, icc=data)
        if found is not None:
            return found
        name = like.name if like else own_words
    else:
        check_source(data, profile.model)
        name = own_words
    identifier = "icc-" + hashlib.sha256(data).hexdigest()[:16]
    return ICCSpace(identifier, name, profile.model, profile.kind, data)


def _rounded_from(found: RGBSpace, exact: RGBSpace) -> bool:
    """Whether a profile's matrix and curves are a built-in space's, but for the rounding of ICC's fixed-point numbers."""
    codes = np.repeat(np.linspace(0.0, 1.0, 1025)[:, None], 3, axis=1)
    curves = np.abs(found.decode(codes) - exact.decode(codes)).max()
    return bool(np.abs(found.to_xyz - exact.to_xyz).max() <= 4e-5 and curves <= 2e-5)


def load_space(path: Path) -> Space:
    """The space of an ICC file.

    Raises
    ------
    BadProfile
        When it cannot be read or is not usable.
    """
    try:
        if path.stat().st_size > LARGEST:
            raise BadProfile(f"the ICC profile has {path.stat().st_size} bytes, more than any profile needs", path)
        return space_of(path.read_bytes())
    except OSError as error:
        raise BadProfile(f"the ICC profile cannot be read ({error.strerror})", path) from error
    except BadProfile as error:
        error.file = path
        raise


def family(space: Space) -> str:
    """Id of the built-in RGB space that a space is or equals; empty where there is none.

    Examples
    --------
    >>> family(SRGB), family(LAB)
    ('srgb', '')
    """
    return family_of(space) if isinstance(space, RGBSpace) else space.family


def same(a: Space | None, b: Space | None) -> bool:
    """Whether two spaces give numbers the same meaning, to within 1.0 ΔE00.

    Examples
    --------
    >>> same(SRGB, space_of(profile_of(SRGB, 2))), same(SRGB, LAB)
    (True, False)
    """
    if a is None or b is None:
        return a is b
    if a.id == b.id:
        return True
    if isinstance(a, RGBSpace) and isinstance(b, RGBSpace):
        return bool(family_of(a)) and family_of(a) == family_of(b)
    return False


def same_numbers(a: Space, b: Space) -> bool:
    """Whether every colour has the very same numbers in two spaces, so that a conversion would change nothing.

    Examples
    --------
    >>> from velkin.core.spaces.rgb import P3, SRGB
    >>> same_numbers(SRGB, SRGB), same_numbers(SRGB, P3)
    (True, False)
    """
    if a == b:
        return True
    if isinstance(a, RGBSpace) and isinstance(b, RGBSpace):
        return a.transfer == b.transfer and bool(np.abs(a.to_xyz - b.to_xyz).max() < 1e-9)
    return False


def check_model(space: Space, model: str, source: Path) -> None:
    """Refuse a space of another colour model than the picture's. Raises BadProfile."""
    if space.model != model:
        raise BadProfile(
            f"{space.name} is for {space.model} pictures, and this one is {model}; it cannot be assigned to it", source
        )


def built_in_space(identifier: str) -> Space | None:
    """A built-in RGB, gray or Lab space by its id.

    Examples
    --------
    >>> built_in_space("romm").name, built_in_space("unheard of")
    ('ROMM RGB', None)
    """
    known = _ALSO.get(identifier, identifier)
    return BUILT_IN.get(known) or grays().get(known) or (LAB if identifier == "lab" else None)
