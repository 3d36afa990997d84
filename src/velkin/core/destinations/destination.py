"""Destinations: where files go and how they are written."""

from __future__ import annotations

from dataclasses import dataclass, field
from pathlib import Path
from typing import Final, Literal

from velkin.core.destinations.naming import NameFacts, stem_of
from velkin.core.destinations.sizing import LONG, Size
from velkin.core.errors import NotSupported
from velkin.core.files.coding import SUBSAMPLINGS, TIFF_COMPRESSIONS, Compression, Subsampling
from velkin.core.files.kinds import DELIVERED, SUFFIXES, check_format, holds_transparency, kind_named
from velkin.core.files.metadata_policy import ALL, KEEPING, MetadataPolicy
from velkin.core.icc.space import Space
from velkin.core.icc.transform import Intent

Existing = Literal["number", "skip", "replace"]
NUMBER: Final = "number"
SKIP: Final = "skip"
REPLACE: Final = "replace"
#: What happens where a file of the name is there already.
EXISTING: dict[Existing, str] = {
    NUMBER: "number the new one",
    SKIP: "keep it and write nothing",
    REPLACE: "replace it, after asking",
}
#: Output sharpening: the share of local lightness contrast that is added.
Sharpening = Literal["off", "low", "standard", "high"]
SHARPENING: dict[Sharpening, float] = {"off": 0.0, "low": 0.25, "standard": 0.5, "high": 0.9}


@dataclass(frozen=True)
class FileFormat:
    """The kind of file.

    Attributes
    ----------
    kind : str
        ``jpeg``, ``png``, ``tiff``, ``webp``, ``avif`` or ``jxl``.
    bits : int
        8 or 16.
    dither : bool
        Blue noise within half a code when going to 8 bits.
    quality : int
        1 to 100, of the formats with loss.
    subsampling : str
        Of JPEG: ``4:4:4`` keeps colour at full size, ``4:2:2`` and ``4:2:0`` halve it in one or both directions.
    compression : str
        Of TIFF: ``none``, ``lzw`` or ``deflate``, all without loss.
    transparency : bool
        Whether transparent parts stay so where the format holds them; else, and in JPEG and inks, they are laid over white.
    """

    kind: str = "jpeg"
    bits: int = 8
    dither: bool = True
    quality: int = 92
    subsampling: Subsampling = "4:4:4"
    compression: Compression = "deflate"
    transparency: bool = True

    @property
    def lossless(self) -> bool:
        """Whether every sample comes back as it was written."""
        return kind_named(self.kind).lossless

    def words(self) -> str:
        """The format in words."""
        name = kind_named(self.kind).name
        return f"{name} {self.bits}-bit" + ("" if self.lossless else f", quality {self.quality}")

    def keeps_transparency(self, model: str) -> bool:
        """Whether transparent parts stay so in files of a colour model."""
        return self.transparency and model != "cmyk" and holds_transparency(self.kind)

    def check(self, model: str) -> None:
        """Refuse what cannot be written in a colour model. Raises NotSupported."""
        if self.kind not in DELIVERED:
            raise NotSupported(f"the format {self.kind!r} is not one of {', '.join(DELIVERED)}")
        if not 1 <= self.quality <= 100:
            raise NotSupported(f"quality {self.quality} is not within 1 to 100")
        if self.subsampling not in SUBSAMPLINGS or self.compression not in TIFF_COMPRESSIONS:
            raise NotSupported(f"{self.subsampling} or {self.compression} is not known")
        check_format(self.kind, self.bits, model, None)


@dataclass(frozen=True)
class Destination:
    """How files are written for one receiver.

    Attributes
    ----------
    id : str
    name : str
    space_id : str
        Id of a space that the shoot knows; empty where none is chosen yet, as for a press whose profile is still to come.
    folder : str
        Absolute, or relative to the shoot file's folder.
    pattern : str
        File name without suffix (`naming.WORDS`).
    ticked : bool
        Whether the next hand-off writes it.
    about : str
        What it is for, in one line.
    intent, black_point
        How its space is reached.
    icc_version : 2 or 4
        Of the embedded profile, where Velkin writes it; a profile that came from elsewhere stays as it is.
    file : FileFormat
    size : Size
    sharpen : str
        One of `SHARPENING`.
    metadata : MetadataPolicy
    existing : str
        One of `EXISTING`.
    outside_limit : float
        Share outside above which a frame is named before the run starts.
    """

    id: str
    name: str
    space_id: str = "srgb"
    folder: str = "handed off"
    pattern: str = "{name}"
    ticked: bool = True
    about: str = ""
    intent: Intent = Intent.RELATIVE
    black_point: bool = True
    icc_version: int = 4
    file: FileFormat = field(default_factory=FileFormat)
    size: Size = field(default_factory=lambda: Size(LONG))
    sharpen: Sharpening = "off"
    metadata: MetadataPolicy = field(default_factory=lambda: MetadataPolicy(ALL))
    existing: Existing = NUMBER
    outside_limit: float = 0.05

    def check(self, space: Space | None) -> None:
        """Refuse a destination that could not be written to.

        Parameters
        ----------
        space : Space or None
            The space of `space_id`, None where the shoot does not have it.

        Raises
        ------
        NotSupported
            Saying which value is wrong.
        """
        if not self.name.strip():
            raise NotSupported("the destination has no name")
        if not self.space_id:
            raise NotSupported(f"{self.name} has no space or profile yet; choose one")
        if space is None:
            raise NotSupported(f"the space {self.space_id!r} of {self.name} is not known any more; choose another")
        self.file.check(space.model)
        self.size.check()
        if self.sharpen not in SHARPENING or self.existing not in EXISTING or self.metadata.keep not in KEEPING:
            raise NotSupported(f"{self.name} holds a choice that is not known: {self.sharpen}, {self.existing}")
        if self.icc_version not in (2, 4):
            raise NotSupported(f"ICC version {self.icc_version} is not 2 or 4")
        if not self.folder.strip() or "\0" in self.folder:
            raise NotSupported(f"{self.name} has no folder")
        self.file_name(NameFacts("x", 1))

    def folder_beside(self, home: Path) -> Path:
        """The folder, absolute; a relative one lies in `home`."""
        return (home / Path(self.folder).expanduser()).absolute()

    def file_name(self, facts: NameFacts) -> str:
        """The written file's name for a frame. Raises NotSupported."""
        return stem_of(self.pattern, facts) + SUFFIXES[self.file.kind]


@dataclass(frozen=True)
class ProofGoal:
    """What is proofed for.

    Attributes
    ----------
    space : str
        Id of a space that the shoot knows; empty for that of the first destination that is ticked, whose intent counts then.
    intent : Intent
    black_point : bool
        Black point compensation.
    """

    space: str = ""
    intent: Intent = Intent.RELATIVE
    black_point: bool = True
