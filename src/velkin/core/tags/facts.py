"""What a shoot keeps of a finished picture: its facts and what it says of its colour."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from velkin.core.files.facts import FileFacts
from velkin.core.files.layers.stack import LayerFacts
from velkin.core.tags.tag import Statement, Tag

if TYPE_CHECKING:
    from velkin.core.tags.inspect import Inspection

#: Colour models in words.
MODELS = {"rgb": "RGB", "gray": "gray", "cmyk": "CMYK", "lab": "Lab"}


@dataclass(frozen=True, kw_only=True)
class PictureFacts(FileFacts):
    """Facts of a finished picture.

    Attributes
    ----------
    format : str
    colour_model : str
        ``rgb``, ``gray``, ``cmyk`` or ``lab``.
    channels : int
        Alpha counted.
    alpha : bool
    tag : Tag
    said : str
        Id of the space that its tag or claim means; empty where there is none.
    statements : tuple of Statement
    notes : tuple of str
    pages, page : int
    layers : tuple of LayerFacts
        Of a layered picture, the topmost first.
    """

    format: str
    colour_model: str
    channels: int
    alpha: bool
    tag: Tag
    said: str
    statements: tuple[Statement, ...]
    notes: tuple[str, ...]
    pages: int = 1
    page: int = 0
    layers: tuple[LayerFacts, ...] = ()


def facts_of(found: Inspection) -> PictureFacts:
    """The facts that a shoot keeps of an inspected picture."""
    return PictureFacts(
        path=found.path,
        width=found.width,
        height=found.height,
        orientation=found.orientation,
        bits=found.bits,
        make=found.make,
        model=found.camera,
        unique=found.unique or f"{found.make} {found.camera}".strip(),
        exif=found.exif,
        format=found.format,
        colour_model=found.model,
        channels=found.channels,
        alpha=found.alpha,
        tag=found.tag,
        said=found.said.id if found.said is not None else "",
        statements=found.statements,
        notes=found.notes,
        pages=found.pages,
        page=found.page,
        layers=found.layers,
    )
