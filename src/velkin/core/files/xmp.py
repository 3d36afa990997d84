"""XMP packets: carried byte for byte, or without what would not be true of another file (ISO 16684-1; XMP specification part 3).

A packet that must lose something goes through exiv2; one that exiv2 cannot read is carried as it is or not at all.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import Any

from velkin.core.files.exiv2_files import exiv2_library

#: What XMP repeats of Exif's colour and shape, or says of a profile that is not there any more.
_STALE = frozenset(
    [
        "Xmp.exif.ColorSpace", "Xmp.photoshop.ICCProfile", "Xmp.photoshop.ColorMode", "Xmp.tiff.Orientation", "Xmp.exif.PixelXDimension",
        "Xmp.exif.PixelYDimension", "Xmp.tiff.ImageWidth", "Xmp.tiff.ImageLength", "Xmp.tiff.BitsPerSample",
        "Xmp.tiff.PhotometricInterpretation", "Xmp.tiff.SamplesPerPixel", "Xmp.tiff.Compression", "Xmp.tiff.XResolution",
        "Xmp.tiff.YResolution", "Xmp.tiff.ResolutionUnit", "Xmp.xmpNote.HasExtendedXMP",
    ]
)  # fmt: skip
#: Namespaces of what tells readers of pictures that lie in the same file: gain maps, depth maps, parts of a container.
_BOUND = re.compile(
    rb"xmlns:([\w.-]+)\s*=\s*[\"'](?:http://ns\.adobe\.com/hdr-gain-map/|http://ns\.google\.com/photos/|http://ns\.apple\.com/HDRGainMap/)"
)
_MAY_BE_STALE = re.compile(
    rb"ColorSpace|ICCProfile|ColorMode|Orientation|Pixel[XY]Dimension|ImageWidth|ImageLength|BitsPerSample|Photometric"
    rb"|SamplesPerPixel|Compression|[XY]Resolution|ResolutionUnit|HasExtendedXMP"
)
_ORIENTATION = re.compile(rb"tiff:Orientation(?:\s*=\s*[\"']|>)\s*([1-8])\b")


def orientation_of(packet: bytes) -> int:
    """The orientation that a packet says, 1 to 8; 1 where it says none."""
    found = _ORIENTATION.search(packet)
    return int(found.group(1)) if found else 1


def carried(packet: bytes, takes: Callable[[str], bool], takes_all: bool) -> tuple[bytes, str]:
    """A packet for another file, and what became of it: empty words where it is the same, byte for byte.

    Parameters
    ----------
    takes : callable
        Whether a property (an exiv2 key) may go along.
    takes_all : bool
        Whether every one may.

    Returns
    -------
    packet : bytes
        Empty where nothing of it goes along.
    words : str
    """
    packet = trimmed(packet)
    if not packet:
        return b"", ""
    bound = tuple(f"Xmp.{prefix.decode()}." for prefix in _BOUND.findall(packet))
    if takes_all and not bound and not _MAY_BE_STALE.search(packet):
        return packet, ""
    image = _opened(packet)
    if image is None:
        if takes_all and not bound:
            return packet, "it is not well formed, and was carried as it is"
        return b"", "it is not well formed, so that nothing can be taken out of it"
    data = image.xmpData()
    keys = [d.key() for d in data]
    dropped = [k for k in keys if k in _STALE or (bound and k.startswith(bound)) or not takes(k)]
    if not dropped:
        return packet, ""
    if len(dropped) == len(keys):
        return b"", "nothing of it is true of the new file" if takes_all else "nothing of it is to be kept"
    for key in dropped:
        del data[key]
    return _written(image), "without what is not true of the new file" if takes_all else "as far as it is to be kept"


def joined(main: bytes, extension: bytes) -> bytes:
    """The packet of which a JPEG holds one part and its extension another; the main one alone where they cannot be joined."""
    exiv2 = exiv2_library()
    first, second = _opened(trimmed(main)), _opened(trimmed(extension))
    if first is None or second is None:
        return main
    data = first.xmpData()
    there = {d.key() for d in data}
    for datum in second.xmpData():
        if datum.key() not in there:
            data.add(exiv2.XmpKey(datum.key()), datum.value())
    for key in there & {"Xmp.xmpNote.HasExtendedXMP"}:
        del data[key]
    return _written(first)


def _opened(packet: bytes) -> Any:
    """A packet taken for a file that holds nothing else; None where it is not well formed. Its values live as long as it does."""
    exiv2 = exiv2_library()
    try:
        image = exiv2.ImageFactory.open(packet)
        image.readMetadata()
        return image if len(list(image.xmpData())) else None
    except (exiv2.Exiv2Error, ValueError):
        return None


def _written(image: Any) -> bytes:
    image.clearExifData()  # what was found in the packet would be written into it again
    image.clearIptcData()
    image.writeMetadata()
    return bytes(image.io().data())


def trimmed(packet: bytes) -> bytes:
    """A packet without the null bytes and byte order mark that some writers put round it."""
    return packet.strip(b"\0").removeprefix(b"\xef\xbb\xbf")
