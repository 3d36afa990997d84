"""What of a source goes into a written file, made true for it, and an account of every part: carried, changed or left behind."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace
from pathlib import Path

from velkin.core.files import xmp
from velkin.core.files.contents import Carried, Fate, Part, PartKind
from velkin.core.files.exif_block import (
    COLOUR_SPACE,
    MAKER_NOTE,
    ORIENTATION,
    PIXEL_X,
    PIXEL_Y,
    RESOLUTION_UNIT,
    X_RESOLUTION,
    Y_RESOLUTION,
    ExifTree,
    Value,
    colour_space_of,
    interoperability_of,
)
from velkin.core.files.iim import DataSet
from velkin.core.files.image_resources import Resource, upright
from velkin.core.files.maker_notes import note_survives
from velkin.core.files.metadata import GEO, STRUCTURAL, Metadata, Resolution, Text
from velkin.core.files.metadata_policy import EVERYTHING, MetadataPolicy


@dataclass(frozen=True)
class Target:
    """The file that is written, as far as metadata must be true of it.

    Attributes
    ----------
    holds : frozenset of type
        What its format has a place for, of `ExifTree`, `DataSet` (IPTC), `Resource`, `Text`, and `bytes` for XMP.
    name : str
        Of its format, for the account.
    family : str
        Id of the built-in space that its profile equals.
    size : (width, height)
    orientation : int
        Of the source: the target is upright.
    whole : bool
        Whether it shows the whole picture, so that paths lie where they lay.
    resolution : Resolution or None
        What the file is to say, instead of what the source says.
    most_exif : int
        Bytes of Exif that its format has room for.
    keywords : frozenset of str, or None
        Of the texts that it has a place for; None where any will do.
    """

    holds: frozenset[type]
    name: str
    family: str
    size: tuple[int, int]
    orientation: int = 1
    whole: bool = True
    resolution: Resolution | None = None
    most_exif: int = 1 << 28
    keywords: frozenset[str] | None = None


def carriage(
    source: Path,
    parts: Iterable[Part],
    target: Target,
    policy: MetadataPolicy = EVERYTHING,
    resolution: Resolution | None = None,
) -> tuple[Metadata, list[Carried]]:
    """What goes into a file, and what became of each part of its source.

    Parameters
    ----------
    source : Path
        Where they come from, to see whether a maker's note can still be read.
    parts : iterable of Part
    target : Target
    policy : MetadataPolicy
    resolution : Resolution, optional
        What the source says.
    """
    packing = _Packing(source, target, policy)
    notes = []
    for part in parts:
        if part.kind is PartKind.MAKER_NOTE and isinstance(part.payload, ExifTree):
            notes.append(part)
        else:
            packing.add(part)
    said = target.resolution or (resolution if policy.keep != "none" else None)
    packing.made = replace(packing.made, resolution=said, exif=_completed(packing.made.exif or ExifTree(), target, said))
    for part in notes:  # it lies round everything else
        packing.add_note(part)
    return packing.made, packing.account


class _Packing:
    """What is packed so far, and the account of it."""

    def __init__(self, source: Path, target: Target, policy: MetadataPolicy) -> None:
        self.made = Metadata()
        self.account: list[Carried] = []
        self._source, self._target, self._policy = source, target, policy

    def _enter(self, part: Part, fate: Fate, why: str = "", by_wish: bool = False) -> None:
        self.account.append(Carried(part, fate, why, by_wish))

    def _leave(self, part: Part, has_place: bool) -> None:
        """A part stays behind, for want of a place or because it is not to be kept."""
        if has_place:
            self._enter(part, Fate.NO, "it is not to be kept", True)
        else:
            self._enter(part, Fate.NO, f"{self._target.name} has no place for it")

    def add(self, part: Part) -> None:
        """Pack a part, or leave it behind."""
        what = part.payload
        if part.kind is PartKind.PROFILE:
            self._enter(part, Fate.CHANGED, "the new file has its own")
        elif part.kind is PartKind.LAYER:
            self._enter(part, Fate.CHANGED, "it is merged with the others")
        elif isinstance(what, ExifTree):
            self._add_exif(part, what)
        elif isinstance(what, bytes):
            self._add_xmp(part, what)
        elif isinstance(what, Resource):
            self._add_resource(part, what)
        elif isinstance(what, Text):
            self._add_text(part, what)
        elif isinstance(what, tuple):
            self._add_iptc(part, what)
        else:
            self._enter(part, Fate.NO, _why_not(part))

    def _add_exif(self, part: Part, tree: ExifTree) -> None:
        kept = _exif(tree, self._target, self._policy)
        self.made = replace(self.made, exif=kept)
        if kept.empty:
            self._leave(part, ExifTree in self._target.holds)
        else:
            self._enter(part, Fate.CHANGED, "orientation, size and colour space are those of the new file")

    def _add_xmp(self, part: Part, packet: bytes) -> None:
        if bytes not in self._target.holds:
            self._leave(part, False)
            return
        kept, why = xmp.carried(packet, self._policy.takes, self._policy == EVERYTHING)
        self.made = replace(self.made, xmp=kept)
        same = kept == xmp.trimmed(packet)
        self._enter(part, Fate.YES if same else Fate.CHANGED if kept else Fate.NO, why, not kept and self._policy != EVERYTHING)

    def _add_iptc(self, part: Part, sets: tuple[DataSet, ...]) -> None:
        has_place = DataSet in self._target.holds
        kept = tuple(s for s in sets if has_place and self._policy.takes_iptc(s.record, s.number))
        self.made = replace(self.made, iptc=(*self.made.iptc, *kept))
        if not kept:
            self._leave(part, has_place)
        else:
            self._enter(part, *((Fate.YES,) if kept == sets else (Fate.CHANGED, "as far as it is to be kept")))

    def _add_text(self, part: Part, text: Text) -> None:
        words = self._target.keywords
        has_place = Text in self._target.holds and (words is None or text.keyword in words)
        if not has_place or not self._policy.takes_text(text.keyword):
            self._leave(part, has_place)
            return
        self.made = replace(self.made, texts=(*self.made.texts, text))
        self._enter(part, Fate.YES)

    def _add_resource(self, part: Part, what: Resource) -> None:
        has_place = Resource in self._target.holds
        if what.follows:
            self._enter(part, Fate.CHANGED, "the new file has its own")
        elif what.is_preview:
            self._enter(part, Fate.NO, _why_not(part))
        elif not has_place or self._policy.keep != "all":
            self._leave(part, has_place)
        elif what.is_path and not self._target.whole:
            self._enter(part, Fate.NO, "the picture is cut, so that it would lie elsewhere")
        else:
            turned = upright(what, self._target.orientation)
            self.made = replace(self.made, resources=(*self.made.resources, turned))
            self._enter(part, *((Fate.YES,) if turned == what else (Fate.CHANGED, "turned with the picture")))

    def add_note(self, part: Part) -> None:
        """A maker's note goes along only where what it says can still be read from it."""
        tree: ExifTree = part.payload
        has_place = ExifTree in self._target.holds
        if not has_place or not self._policy.takes_exif("photo", MAKER_NOTE):
            self._leave(part, has_place)
            return
        now = self.made.exif or ExifTree(tree.order)
        alone = replace(now, photo={**now.photo, MAKER_NOTE: tree.photo[MAKER_NOTE]}, maker_at=tree.maker_at)
        why = ""
        for noted in (alone, replace(alone, beyond=tree.beyond)):
            why = note_survives(self._source, noted, self._target.most_exif)
            if not why:
                self.made = replace(self.made, exif=noted)
                self._enter(part, Fate.YES)
                return
        self._enter(part, Fate.NO, why)


def _why_not(part: Part) -> str:
    return {
        PartKind.PICTURE: "one picture of the file is written",
        PartKind.PREVIEW: "it shows the picture as it was",
        PartKind.GAIN_MAP: "it belongs to the numbers of the source",
        PartKind.AUXILIARY: "it belongs to the source",
        PartKind.LAYERS: "the picture is written as it looks",
    }.get(part.kind, "Velkin does not know what it means")


def _exif(tree: ExifTree, target: Target, policy: MetadataPolicy) -> ExifTree:
    """What of Exif is kept; the maker's note is seen to apart."""
    if ExifTree not in target.holds or policy.keep == "none":
        return ExifTree(tree.order)
    out = STRUCTURAL if target.whole and policy.location else STRUCTURAL | GEO
    image = {t: v for t, v in tree.image.items() if t not in out and policy.takes_exif("image", t)}
    photo = {t: v for t, v in tree.without_note().photo.items() if policy.takes_exif("photo", t)}
    gps = dict(tree.gps) if policy.takes_exif("gps", 0) else {}
    return ExifTree(tree.order, image, photo, gps, tree.interop if policy.keep == "all" else {})


def _completed(tree: ExifTree, target: Target, said: Resolution | None) -> ExifTree:
    """Exif with what follows from the file itself."""
    image = {**tree.image, ORIENTATION: tree.short(1)}
    if said is not None:
        image |= {X_RESOLUTION: tree.rational(said.x), Y_RESOLUTION: tree.rational(said.y), RESOLUTION_UNIT: tree.short(2)}
    photo = {
        **tree.photo,
        COLOUR_SPACE: tree.short(colour_space_of(target.family)),
        PIXEL_X: tree.long(target.size[0]),
        PIXEL_Y: tree.long(target.size[1]),
    }
    interop = dict(tree.interop)
    index = interoperability_of(target.family)
    if 1 in interop:
        interop = {**interop, 1: Value(2, 4, index)} if index else {}
    return replace(tree, image=image, photo=photo, interop=interop)
