"""What of a source's metadata goes into written files, and whether a written file keeps to it."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import Final, Literal

from velkin.core.errors import UnreadableFile
from velkin.core.files.exiv2_files import exiv2_library, open_metadata

Keep = Literal["all", "rights", "none"]
ALL: Final = "all"
RIGHTS: Final = "rights"
NONE: Final = "none"
#: What is carried into written files.
KEEPING: dict[Keep, str] = {ALL: "all that is true of the file", RIGHTS: "rights and contact only", NONE: "nothing"}
_RIGHTS = (
    *("Exif.Image.Artist", "Exif.Image.Copyright", "Xmp.dc.creator", "Xmp.dc.rights", "Xmp.xmpRights.", "Xmp.plus."),
    *("Xmp.photoshop.Credit", "Xmp.photoshop.AuthorsPosition", "Xmp.iptc.CreatorContactInfo", "Xmp.photoshop.CaptionWriter"),
    *("Iptc.Application2.Byline", "Iptc.Application2.Credit", "Iptc.Application2.Copyright", "Iptc.Application2.Contact"),
)
# where it was taken; a maker's note may tell it too
_PLACE = (
    *("Exif.GPSInfo.", "Exif.Photo.MakerNote", "Exif.MakerNote.", "Xmp.exif.GPS", "Xmp.iptc.Location", "Xmp.iptc.CountryCode"),
    *("Xmp.iptcExt.Location", "Xmp.photoshop.City", "Xmp.photoshop.State", "Xmp.photoshop.Country"),
    *(f"Iptc.Application2.{k}" for k in ("City", "SubLocation", "Province", "Country", "Location")),
)
# by their numbers: artist and copyright of Exif; byline, credit, copyright and contact of IPTC; its places
_EXIF_RIGHTS, _MAKER_NOTE = frozenset((315, 33432)), 37500
_IPTC_RIGHTS = frozenset((80, 110, 116, 118))
_IPTC_PLACE = frozenset((26, 27, 90, 92, 95, 100, 101))
# what follows from the file itself
_OWN = frozenset(
    ["Exif.Image.Orientation", "Exif.Image.ExifTag", "Exif.Photo.ColorSpace", "Exif.Photo.PixelXDimension"]
    + ["Exif.Photo.PixelYDimension", "Exif.Image.XResolution", "Exif.Image.YResolution", "Exif.Image.ResolutionUnit"]
    + [
        "Exif.Photo.ExifVersion",
        "Exif.Photo.ComponentsConfiguration",
        "Exif.Photo.FlashpixVersion",
        "Exif.Image.YCbCrPositioning",
    ]
)


@dataclass(frozen=True)
class MetadataPolicy:
    """What of a source's metadata goes into a written file.

    Attributes
    ----------
    keep : Keep
    location : bool
        Whether the place may be told; only with ``all``.
    """

    keep: Keep = ALL
    location: bool = True

    def takes(self, key: str) -> bool:
        """Whether a datum of this exiv2 key is carried."""
        if self.keep == NONE:
            return False
        if self.keep == RIGHTS:
            return key.startswith(_RIGHTS)
        return self.location or not key.startswith(_PLACE)

    def takes_exif(self, group: str, tag: int) -> bool:
        """Whether a value of Exif (``image``, ``photo`` or ``gps``) is carried."""
        if self.keep != ALL:
            return self.keep == RIGHTS and group == "image" and tag in _EXIF_RIGHTS
        return self.location or not (group == "gps" or (group == "photo" and tag == _MAKER_NOTE))

    def takes_iptc(self, record: int, number: int) -> bool:
        """Whether a data set of IPTC is carried."""
        if self.keep != ALL:
            return self.keep == RIGHTS and record == 2 and number in _IPTC_RIGHTS
        return self.location or record != 2 or number not in _IPTC_PLACE

    def takes_text(self, keyword: str) -> bool:
        """Whether a text under a keyword is carried; a free text may tell anything, so that none is where something is to be left out."""
        if self.keep == RIGHTS:
            return keyword in ("Author", "Copyright")
        return self.keep == ALL and (self.location or keyword != "Comment")

    def words(self) -> str:
        """The policy in words."""
        return KEEPING[self.keep] + (", without the place" if self.keep == ALL and not self.location else "")


EVERYTHING = MetadataPolicy()


def broken_policy(path: Path, policy: MetadataPolicy) -> list[str]:
    """What a written file's metadata hold that the policy leaves out, as exiv2 keys.

    Raises
    ------
    UnreadableFile
    """
    exiv2 = exiv2_library()
    try:
        image = open_metadata(path)
        image.readMetadata()
    except (OSError, exiv2.Exiv2Error) as error:
        raise UnreadableFile(f"its metadata cannot be read ({error})", path) from error
    keys = [d.key() for d in (*image.exifData(), *image.iptcData(), *image.xmpData())]
    shared = ("Exif.Photo.", "Exif.GPSInfo.", "Iptc.", "Xmp.", "Exif.Image.Artist", "Exif.Image.Copyright", "Exif.Image.Make")
    return [k for k in keys if k not in _OWN and k.startswith((*shared, "Exif.Image.Model")) and not policy.takes(k)]
