"""The tag that holds, among all that a file says of its colour, in the order of authority.

Embedded ICC profile first; PNG's own chunks in the order of the third edition (cICP, iCCP, sRGB, gAMA + cHRM); then Exif ColorSpace and
InteroperabilityIndex (R98, R03). "Uncalibrated" alone claims nothing.
"""

from __future__ import annotations

from velkin.core.errors import BadProfile
from velkin.core.files.exif import ExifFacts
from velkin.core.files.formats.base import Head
from velkin.core.icc.read import parse
from velkin.core.icc.space import LAB, ICCSpace, Space, for_model, in_gray, same, space_of
from velkin.core.spaces.rgb import BUILT_IN, SRGB, RGBSpace, family_of
from velkin.core.spaces.transfer import Transfer
from velkin.core.tags.declared import space_of_cicp, space_of_exif, space_of_png
from velkin.core.tags.tag import Tag


def tag_of(head: Head, exif: ExifFacts, notes: list[str]) -> tuple[Tag, Space | None]:
    """The tag that holds, what it means, and (in `notes`) what contradicts it."""
    c, model = head.colour, head.model
    winner: Tag | None = None
    meant: Space | None = None
    if c.cicp is not None and (head.format != "avif" or c.icc is None):
        space = _meant(space_of_cicp(c.cicp), model)
        words = f"cICP primaries {c.cicp[0]}, transfer {c.cicp[1]}"
        if space is not None:
            winner, meant = Tag("tagged", "cicp", words, _id_of(space)), space
        else:
            winner = Tag("damaged", "cicp", f"{words}, which Velkin does not read")
    if c.icc is not None:
        tag, space_in_icc = icc_tag(c.icc, model)
        if winner is None:
            winner, meant = tag, space_in_icc
            _check_words(c.icc, space_in_icc, notes)
        elif not same(meant, space_in_icc):
            notes.append(f"its embedded profile says {tag.description}; the cICP chunk comes first")
    if c.srgb:
        srgb = for_model(BUILT_IN["srgb"], model)
        if winner is None:
            winner, meant = Tag("tagged", "png-srgb", "sRGB chunk", "srgb"), srgb
        elif not same(meant, srgb):
            notes.append(f"the sRGB chunk contradicts it; {_what(winner)} comes first")
    if c.gamma is not None and c.chromaticities is not None and model == "rgb":
        space = space_of_png(c.gamma, c.chromaticities)
        if winner is None:
            words = f"gAMA {c.gamma:.5f} and cHRM"
            if space is not None:
                winner, meant = Tag("claimed", "png-gama", words, family_of(space) or None), space
            else:
                notes.append(f"{words} lead to no usable space")
        elif space is not None and family_of(space) and isinstance(meant, RGBSpace) and not same(space, meant):
            notes.append(f"gAMA and cHRM say {space.name}; {_what(winner)} comes first")
    named = space_of_exif(exif.colour_space, exif.interoperability)
    claim = _meant(named, model)
    if named is not None and claim is not None:
        if winner is None:
            words = "sRGB" if named.id == "srgb" else "opRGB (R03)"
            winner, meant = Tag("claimed", "exif", words, named.id), claim
        elif winner.state == "tagged" and not same(meant, claim):
            notes.append(f"Exif says {named.name}; {_what(winner)} wins")
    if winner is None and c.linear:
        return Tag("tagged", "none", "linear light by its colour model"), _LINEAR
    if winner is None and c.by_format:
        return Tag("tagged", "none", "sRGB, by its format", "srgb"), for_model(BUILT_IN["srgb"], model)
    if winner is None and model == "lab":
        return Tag("tagged", "none", "CIE Lab by its colour model"), LAB
    return winner or Tag("untagged", "none"), meant


#: What LogLuv is decoded to: linear light of sRGB's primaries.
_LINEAR = RGBSpace("srgb-linear", "sRGB primaries, linear", "", SRGB.primaries, SRGB.white, Transfer(1.0))


def _meant(space: RGBSpace | None, model: str) -> Space | None:
    """A space that is named without a profile, as it is meant for a picture of a colour model; None where it says nothing of such."""
    if space is None or model not in ("rgb", "gray"):
        return None
    return in_gray(space) if model == "gray" else space


def _id_of(space: Space) -> str | None:
    if isinstance(space, RGBSpace):
        return family_of(space) or None
    return "srgb" if space.id == "gray-srgb" else space.id


def _what(tag: Tag) -> str:
    return {"icc": "the embedded profile", "cicp": "the cICP chunk", "png-srgb": "the sRGB chunk"}.get(
        tag.source, "gAMA with cHRM"
    )


def icc_tag(icc: bytes, model: str) -> tuple[Tag, Space | None]:
    """What an embedded profile is for a picture of a colour model, and the space it means."""
    try:
        profile = parse(icc)
        if profile.model != model:
            words = f"{profile.description} (a profile for {profile.model} in a picture of {model})"
            return Tag("damaged", "icc", words), None
        space = space_of(icc)
    except BadProfile as error:
        return Tag("damaged", "icc", error.message), None
    like = space.family or None
    return Tag("tagged", "icc", profile.description or space.name, like), space


def _check_words(icc: bytes, space: Space | None, notes: list[str]) -> None:
    """A profile that names one known space in its words and does another."""
    if space is None or isinstance(space, ICCSpace):
        return
    words = parse(icc).description.casefold()
    for known in BUILT_IN.values():
        for name in (known.name, known.trade_name):
            if name and name.casefold() in words and "linear" not in words and not same(known, space):
                if any(o is not known and o.name.casefold() in words and same(o, space) for o in BUILT_IN.values()):
                    continue
                does = BUILT_IN[space.family].name if space.family else "something else"
                notes.append(f"the embedded profile calls itself {name} and does {does}")
                return
