"""Everything that lies beside a picture: found, carried so that it means what it meant, or named as left behind."""

from __future__ import annotations

import io
import struct
import xml.etree.ElementTree as ElementTree
from pathlib import Path

import exiv2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from PIL import Image

from tests.core.awkward import (
    RGB,
    XMP,
    coded,
    everything,
    iptc,
    noted,
    path_resource,
    physical,
    png,
    resource,
    save,
    segment,
    several,
    text,
    with_segments,
)
from velkin.core.files import xmp
from velkin.core.files.coding import Coding
from velkin.core.files.contents import Fate, PartKind, also_holds
from velkin.core.files.encode import account_of, encode_numbers
from velkin.core.files.exif_block import ExifTree, Value, read_block, written
from velkin.core.files.formats import format_at, format_named
from velkin.core.files.image_resources import JPEG_MARK, Resource, read_resources, upright
from velkin.core.files.jpeg_structure import EXIF_MARK, XMP_MARK
from velkin.core.files.kinds import SUFFIXES
from velkin.core.files.metadata import resolution_in
from velkin.core.files.metadata_policy import ALL, NONE, RIGHTS, MetadataPolicy
from velkin.core.files.picture import Picture, decode_picture
from velkin.core.files.source_contents import contents_of
from velkin.core.handoff.copies import CopyWish, write_copy
from velkin.core.icc.write import matrix_profile
from velkin.core.spaces.rgb import OPRGB, P3, SRGB
from velkin.core.stages.steps import Assign, Convert
from velkin.core.tags.inspect import inspect

exiv2.LogMsg.setLevel(exiv2.LogMsg.Level.mute)
WRITTEN = sorted(k for k in SUFFIXES if format_named(k).holds)  # OpenRaster has no place for any of it


def tags(path: Path) -> dict[str, str]:
    """What exiv2, which had no part in writing, reads."""
    image = exiv2.ImageFactory.open(str(path))
    image.readMetadata()
    return {d.key(): d.toString() for d in (*image.exifData(), *image.iptcData(), *image.xmpData())}


def carried(source: Path, kind: str, folder: Path, **more: object) -> Path:
    """A picture written in a format with all that goes along from a source."""
    made = encode_numbers(Picture(RGB, None, "rgb"), kind, matrix_profile(P3), family="p3", source=source, **more)  # type: ignore[arg-type]
    return save(folder / f"out{SUFFIXES[kind]}", made.data)


def fates(source: Path, kind: str, **more: object) -> dict[str, Fate]:
    """What becomes of each part of a source, by name."""
    account = account_of(contents_of(source), kind, family="srgb", size=(36, 24), **more)[1]  # type: ignore[arg-type]
    return {c.part.name: c.fate for c in account}


# ---- round trips --------------------------------------------------------------------------------------------------


@pytest.mark.parametrize("kind", WRITTEN)
@pytest.mark.parametrize("order", ["<", ">"])
def test_all_that_a_jpeg_says_goes_into_every_format_or_is_named(tmp_path, kind, order):
    source = save(tmp_path / "s.jpg", everything(order))
    out = carried(source, kind, tmp_path)
    before, after = tags(source), tags(out)
    named = fates(source, kind)
    own = ("Exif.Image.ExifTag", "Exif.Image.GPSTag", "Exif.Photo.MakerNote", "Exif.Photo.ColorSpace")
    for key, value in before.items():
        if key.startswith("Iptc."):
            assert (after.get(key) == value) == (named["IPTC"] is Fate.YES), key
        elif key not in own and not key.endswith("XResolution") and not key.endswith("YResolution"):
            assert after.get(key) == value, key
    assert inspect(out).resolution == inspect(source).resolution
    assert (after["Exif.Photo.ColorSpace"], after["Exif.Image.Orientation"]) == ("65535", "1")
    place = named["path skein"]
    assert place is (Fate.YES if kind in ("jpeg", "tiff", "png") else Fate.NO)
    assert named["comment"] is (Fate.YES if kind in ("jpeg", "png") else Fate.NO)


@pytest.mark.parametrize("kind", WRITTEN)
@pytest.mark.parametrize("order", ["<", ">"])
def test_a_makers_note_lies_where_it_lay_in_every_format(tmp_path, kind, order):
    source = save(tmp_path / "s.jpg", everything(order))
    out = carried(source, kind, tmp_path)
    tree, note = noted(order)
    found = format_at(out).head(out).exif
    assert (found.maker_note, found.maker_at, found.order) == (note, tree.maker_at, order)


def test_a_note_that_cannot_stay_and_of_which_nobody_knows_the_meaning_is_left_out_and_said(tmp_path):
    tree, note = noted(at=3 << 20)
    wide = ExifTree(tree.order, {**tree.image, 270: text("x" * (3 << 20))}, tree.photo, maker_at=tree.maker_at)
    block = written(ExifTree(wide.order, wide.image, wide.photo))  # lies somewhere else, beyond what a JPEG holds
    source = save(tmp_path / "s.webp", b"")
    stream = io.BytesIO()
    Image.fromarray(RGB).save(stream, "WEBP", exif=EXIF_MARK + block)
    source.write_bytes(stream.getvalue())
    assert fates(source, "jpeg")["maker's notes"] is Fate.NO
    assert note not in carried(source, "png", tmp_path).read_bytes()


@settings(max_examples=40, deadline=None)
@given(
    st.sampled_from(WRITTEN),
    st.sampled_from(WRITTEN),
    st.integers(20, 4000),
    st.text("abcdefgh ÄÖ", max_size=30),
    st.booleans(),
)
def test_round_trips_are_a_law(tmp_path_factory, first, second, ppi, words, alpha):
    folder = tmp_path_factory.mktemp("trip")
    numbers = RGB.copy()
    clear = np.full(RGB.shape[:2], 200, np.uint8) if alpha and first != "jpeg" and second != "jpeg" else None
    block = ExifTree("<", {270: text(words), 33432: text("Madderfold")}, {42036: text("60 mm")})
    jpeg = with_segments(coded(), segment(0xE1, EXIF_MARK + written(block)), segment(0xE1, XMP_MARK + XMP))
    source = save(folder / "s.jpg", jpeg)
    coding = Coding(quality=100, ppi=float(ppi))
    one = encode_numbers(
        Picture(numbers, clear, "rgb"), first, matrix_profile(OPRGB), family="oprgb", source=source, coding=coding
    )
    middle = save(folder / f"m{SUFFIXES[first]}", one.data)
    picture = decode_picture(middle)
    two = encode_numbers(picture, second, matrix_profile(OPRGB), family="oprgb", source=middle, coding=Coding(quality=100))
    out = save(folder / f"o{SUFFIXES[second]}", two.data)
    end, said = decode_picture(out), inspect(out)
    loss = {"jpeg": 6, "webp": 40, "avif": 6, "jxl": 0}
    assert np.abs(end.numbers.astype(int) - picture.numbers).max() <= loss.get(second, 0)
    assert (said.tag.state, said.tag.space) == ("tagged", "oprgb")
    assert said.resolution is not None and abs(said.resolution.x - ppi) <= 0.02
    assert (end.alpha is not None) == (clear is not None)
    found = tags(out)
    assert found["Exif.Image.Copyright"] == "Madderfold" and found.get("Exif.Image.ImageDescription", "") == words
    assert found["Xmp.madder.vat"] == "7" and found["Exif.Photo.LensModel"] == "60 mm"
    with Image.open(out) as other:  # and by a second reader
        if second != "jxl":
            assert other.getexif()[0x8298] == "Madderfold"


# ---- resolution ---------------------------------------------------------------------------------------------------


def _of_each_kind(folder: Path) -> dict[str, tuple[Path, float]]:
    jfif = io.BytesIO()
    Image.fromarray(RGB).save(jfif, "JPEG", dpi=(240, 240))
    centimetres = bytearray(jfif.getvalue())
    struct.pack_into(">BHH", centimetres, 13, 2, 100, 100)
    tif = io.BytesIO()
    Image.fromarray(RGB).save(tif, "TIFF", dpi=(360.0, 360.0))
    return {
        "jfif": (save(folder / "a.jpg", jfif.getvalue()), 240.0),
        "cm": (save(folder / "b.jpg", bytes(centimetres)), 254.0),
        "metres": (save(folder / "c.png", png(RGB, physical(11811))), 300.0),
        "tiff": (save(folder / "d.tif", tif.getvalue()), 360.0),
    }


@pytest.mark.parametrize("kind", WRITTEN)
@pytest.mark.parametrize("source", ["jfif", "cm", "metres", "tiff"])
def test_resolution_goes_through_every_pair_of_formats(tmp_path, source, kind):
    path, ppi = _of_each_kind(tmp_path)[source]
    assert inspect(path).resolution is not None
    out = carried(path, kind, tmp_path)
    found = inspect(out).resolution
    assert found is not None and abs(found.x - ppi) < 0.02
    assert tags(out)["Exif.Image.ResolutionUnit"] == "2"
    if kind in ("jpeg", "png", "tiff"):
        with Image.open(out) as image:
            assert abs(float(image.info["dpi"][0]) - ppi) < 0.5


def test_a_shape_of_pixels_is_no_resolution(tmp_path):
    path = save(tmp_path / "a.jpg", coded())  # JFIF 1 × 1 without a unit
    assert inspect(path).resolution is None
    none = ExifTree("<", {282: Value(5, 1, struct.pack("<II", 300, 0)), 283: Value(5, 1, struct.pack("<II", 300, 0))})
    assert resolution_in(none) is None


# ---- several pictures, gain maps ----------------------------------------------------------------------------------


@pytest.mark.parametrize("order", ["<", ">"])
def test_a_retagged_jpeg_of_several_keeps_its_pictures(tmp_path, order):
    second = coded(255 - RGB)
    icc = matrix_profile(SRGB)
    source = save(tmp_path / "a.jpg", several(coded(icc_profile=icc), second, order=order))
    assert inspect(source).pages == 2
    out = tmp_path / "b.jpg"
    write_copy(source, None, (Assign(P3),), CopyWish(out))
    assert inspect(out).tag.space == "p3" and inspect(out).pages == 2
    assert out.read_bytes().endswith(second)
    with Image.open(out) as image:
        image.seek(1)
        assert np.array_equal(np.asarray(image), np.asarray(Image.open(io.BytesIO(second))))
    third = tmp_path / "c.jpg"  # and once more, with a profile much longer
    write_copy(out, None, (Assign(OPRGB),), CopyWish(third))
    assert np.array_equal(decode_picture(third, 1).numbers, decode_picture(source, 1).numbers)


def test_a_gain_map_is_no_page_survives_assigning_and_is_named_when_left_behind(tmp_path):
    words = XMP.replace(b"xmlns:dc", b'xmlns:hdrgm="http://ns.adobe.com/hdr-gain-map/1.0/" hdrgm:Version="1.0" xmlns:dc')
    gains = with_segments(coded(RGB[::2, ::2]), segment(0xE1, XMP_MARK + words))
    main = with_segments(coded(), segment(0xE1, XMP_MARK + words))
    source = save(tmp_path / "a.jpg", several(main, gains, attributes=(0,)))
    found = inspect(source)
    assert found.pages == 1 and also_holds(contents_of(source).parts) == "a gain map"
    write_copy(source, None, (Assign(P3),), CopyWish(tmp_path / "b.jpg"))
    assert (tmp_path / "b.jpg").read_bytes().endswith(gains)
    done = write_copy(source, SRGB, (Convert(P3),), CopyWish(tmp_path / "c.jpg"))
    assert done.left == "gain map"
    after = (tmp_path / "c.jpg").read_bytes()
    assert b"hdr-gain-map" not in after and b"madderfold.example" in after


# ---- paths, texts, IPTC, XMP --------------------------------------------------------------------------------------


@pytest.mark.parametrize("orientation", range(1, 9))
def test_a_path_turns_with_its_picture(orientation):
    mark = np.zeros((40, 60, 1))
    mark[10, 45] = 1  # x 45.5 of 60, y 10.5 of 40
    data = path_resource(((45.5 / 60, 10.5 / 40),))
    from velkin.core.files.picture import upright_by

    turned = upright_by(orientation, mark)[..., 0]
    y, x = np.argwhere(turned == 1)[0]
    now = upright(Resource(2000, b"", data), orientation).data
    at_y, at_x = (v / (1 << 24) for v in struct.unpack_from(">ii", now, 52 + 2))
    assert (at_x * turned.shape[1] - 0.5, at_y * turned.shape[0] - 0.5) == pytest.approx((x, y), abs=1e-3)


def test_a_path_of_a_picture_that_is_cut_is_left_behind_and_one_in_a_tiff_is_kept(tmp_path):
    source = save(tmp_path / "s.jpg", everything())
    assert fates(source, "tiff", whole=False)["path skein"] is Fate.NO
    out = carried(source, "tiff", tmp_path)
    import tifffile

    with tifffile.TiffFile(out) as tif:
        block = bytes(tif.pages[0].tags[34377].value)
    assert [(r.id, r.name) for r in read_resources(block)] == [(2000, b"skein"), (2999, b"")]


def test_iptc_is_the_same_bytes_and_two_of_its_blocks_are_both_kept(tmp_path):
    two = with_segments(
        coded(),
        segment(0xED, JPEG_MARK + resource(1028, iptc())),
        segment(0xED, JPEG_MARK + resource(1028, b"\x1c\x02\x69\x00\x04Rose")),
    )
    source = save(tmp_path / "s.jpg", two)
    for kind in ("jpeg", "tiff", "png"):
        out = carried(source, kind, tmp_path)
        found = next(p.payload for p in contents_of(out).parts if p.name == "IPTC")
        assert b"".join(s.data for s in found).endswith(b"101500+0200Rose")
        assert tags(out)["Iptc.Application2.TimeCreated"] == "10:15:00+02:00"


def test_texts_of_a_png_stay_as_they_are_and_the_odd_ones_are_understood(tmp_path):
    from velkin.core.files.formats.png import chunk

    tree = ExifTree("<", {271: text("Madderfold")})
    raw = b"Exif\0\0" + written(tree)
    digits = raw.hex().encode()
    odd = b"Raw profile type exif\0\0" + __import__("zlib").compress(
        b"\nexif\n" + str(len(raw)).rjust(8).encode() + b"\n" + digits + b"\n"
    )
    data = png(
        RGB, chunk(b"tEXt", b"Software\0vat"), chunk(b"iTXt", b"Title\0\0\0de\0Titel\0Krapp \xc3\xa4"), chunk(b"zTXt", odd)
    )
    source = save(tmp_path / "s.png", data)
    assert inspect(source).make == "Madderfold"
    out = carried(source, "png", tmp_path)
    assert chunk(b"iTXt", b"Title\0\0\0de\0Titel\0Krapp \xc3\xa4") in out.read_bytes()
    assert tags(out)["Exif.Image.Make"] == "Madderfold"
    assert fates(source, "jpeg")["text Title"] is Fate.NO


def test_xmp_is_carried_byte_for_byte_where_nothing_in_it_is_untrue(tmp_path):
    source = save(tmp_path / "s.jpg", with_segments(coded(), segment(0xE1, XMP_MARK + XMP)))
    for kind in WRITTEN:
        assert XMP in carried(source, kind, tmp_path).read_bytes()
    broken = XMP.replace(b"</rdf:Bag>", b"")
    source = save(tmp_path / "t.jpg", with_segments(coded(), segment(0xE1, XMP_MARK + broken)))
    assert broken in carried(source, "tiff", tmp_path).read_bytes()
    place = MetadataPolicy(ALL, location=False)  # nobody can tell what it says of the place
    assert fates(source, "tiff", coding=Coding(policy=place))["XMP"] is Fate.NO


def test_xmp_that_must_lose_something_stays_well_formed(tmp_path):
    stale = XMP.replace(b"madder:vat", b'xmlns:tiff="http://ns.adobe.com/tiff/1.0/" tiff:Orientation="6" madder:vat')
    packet, why = xmp.carried(stale, lambda key: True, True)
    ElementTree.fromstring(packet[packet.index(b"<x:xmpmeta") : packet.index(b"<?xpacket end")])
    assert b"Orientation" not in packet and b"wool" in packet and why
    assert xmp.orientation_of(stale) == 6


def test_xmp_in_several_segments_is_one_and_is_written_in_several_again(tmp_path):
    long = XMP.replace(b"wool", b"w" * 90_000)
    source = save(
        tmp_path / "s.png",
        png(
            RGB,
            __import__("velkin.core.files.formats.png", fromlist=["chunk"]).chunk(
                b"iTXt", b"XML:com.adobe.xmp\0\0\0\0\0" + long
            ),
        ),
    )
    out = carried(source, "jpeg", tmp_path)
    assert out.read_bytes().count(b"http://ns.adobe.com/xmp/extension/\0") == 2
    again = carried(out, "png", tmp_path)
    assert tags(again)["Xmp.dc.subject"] == "w" * 90_000 and tags(again)["Xmp.madder.vat"] == "7"


@pytest.mark.parametrize(
    ("policy", "there", "gone"),
    [
        (
            MetadataPolicy(ALL, location=False),
            "Exif.Photo.LensModel",
            ("Exif.GPSInfo.GPSLatitude", "Iptc.Application2.City", "Exif.Photo.MakerNote"),
        ),
        (
            MetadataPolicy(RIGHTS),
            "Iptc.Application2.Byline",
            ("Exif.Photo.LensModel", "Xmp.madder.vat", "Iptc.Application2.Caption"),
        ),
        (MetadataPolicy(NONE), "Exif.Photo.ColorSpace", ("Exif.Image.Make", "Iptc.Application2.Byline", "Xmp.madder.vat")),
    ],
)
def test_what_is_not_to_be_told_is_in_none_of_the_carriers(tmp_path, policy, there, gone):
    source = save(tmp_path / "s.jpg", everything())
    for kind in ("jpeg", "tiff", "png"):
        out = carried(source, kind, tmp_path, coding=Coding(policy=policy))
        found = tags(out)
        assert there in found and not set(gone) & set(found)
        assert b"Quill Lane" not in out.read_bytes()


# ---- structure ----------------------------------------------------------------------------------------------------


@settings(max_examples=60, deadline=None)
@given(st.integers(8, 5000), st.integers(9, 3000), st.sampled_from("<>"), st.booleans(), st.integers(0, 400))
def test_exif_that_is_written_is_read_again_wherever_its_note_lies(at, length, order, big, words):
    note = bytes(i % 251 for i in range(length))
    tree = ExifTree(
        order,
        {270: text("a" * words), 271: text("b" * 70)},
        {37500: Value(7, length, note), 42036: text("c" * 90)},
        maker_at=at,
    )
    block = written(tree, big=big)
    found = read_block(block)
    assert found.photo[37500].data == note and found.image == tree.image
    assert at < (16 if big else 8) + 6 or found.maker_at == at


def test_contents_name_every_part_and_what_becomes_of_it(tmp_path):
    odd = with_segments(everything(), segment(0xEB, b"MADDER\0notes of the vat"))
    source = save(tmp_path / "s.jpg", odd)
    parts = contents_of(source).parts
    assert {p.kind for p in parts} >= {PartKind.METADATA, PartKind.MAKER_NOTE, PartKind.PATH, PartKind.TEXT, PartKind.OTHER}
    assert fates(source, "jpeg")["APP11 MADDER"] is Fate.NO
    assert also_holds(parts).startswith("90 bytes of maker's notes, 2 paths")


def test_what_cannot_be_read_says_so_instead_of_being_lost_in_silence(tmp_path):
    made = encode_numbers(Picture(RGB, None, "rgb"), "png", None, family="", source=tmp_path / "gone.jpg")
    assert [c.fate for c in made.account] == [Fate.NO] and "not there any more" in made.account[0].part.name


# ---- before and after a hand-off ----------------------------------------------------------------------------------


def test_what_a_destinations_format_has_no_place_for_is_named_before_and_in_the_receipt(tmp_path):
    from dataclasses import replace

    from velkin.core.destinations.destination import FileFormat
    from velkin.core.destinations.sizing import long_edge
    from velkin.core.handoff.jobs import plan_for
    from velkin.core.handoff.preflight import LEFT, concerns_of
    from velkin.core.handoff.run import run
    from velkin.core.shoot.arrivals import look_at
    from velkin.core.shoot.shoot import Shoot

    source = save(tmp_path / "skein.jpg", everything())
    shoot = Shoot.create(tmp_path / "s.velkin", "s")
    (frame,) = shoot.frames.add_frames([look_at(source)])
    assert shoot.state.frames[frame].facts.also == "90 bytes of maker's notes, 2 paths, a text"
    shoot.colour.assign([frame], SRGB)
    first = shoot.state.destinations[0]
    web = replace(first, id="w", name="Web", file=FileFormat("webp"), folder=str(tmp_path / "o"), size=long_edge(0))
    web = replace(web, metadata=MetadataPolicy(ALL))
    print_ = replace(web, id="p", name="Print", file=FileFormat("tiff"))
    rights = replace(web, id="r", name="Rights", metadata=MetadataPolicy(RIGHTS))
    plan = plan_for(shoot, [frame], [web, print_, rights])
    found = [c.what for c in concerns_of(shoot.state, plan) if c.kind == LEFT]
    assert "IPTC of skein will not be in files for Web." in found
    assert not [w for w in found if "Rights" in w and "Exif" in w], "what is not to be kept is no loss"
    done = {d.job.destination.id: d.written for d in run(plan.jobs)}
    assert "IPTC" in done["w"].left and "path skein" in done["w"].left
    assert done["p"].left == "comment"
    shoot.close()
