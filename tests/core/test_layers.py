"""Layered pictures: merging held to the standard's formulas and to an independent package, awkward and hostile files, and what the wrong order costs."""

import io
import struct
import zipfile

import imagecodecs
import numpy as np
import pytest
from PIL import Image
from pyora import Project

from tests.core.awkward import filtered_png, openraster, png
from velkin.core.errors import NotSupported, UnreadableFile
from velkin.core.files.contents import also_holds
from velkin.core.files.encode import encode_numbers
from velkin.core.files.formats import format_at
from velkin.core.files.formats.png import chunk
from velkin.core.files.layers.merging import AS_IT_IS
from velkin.core.files.layers.operators import Operator
from velkin.core.files.layers.picture import opened
from velkin.core.files.picture import Picture, decode_picture
from velkin.core.files.source_contents import contents_of
from velkin.core.icc.space import LAB, profile_of
from velkin.core.layered import computing, shift_of
from velkin.core.spaces.difference import ciede2000
from velkin.core.spaces.lab import xyz_to_lab
from velkin.core.spaces.pictures import SEEN
from velkin.core.spaces.rgb import BUILT_IN
from velkin.core.tags.inspect import inspect

RNG = np.random.default_rng(19)
SIZE = (36, 24)


def noise(width=36, height=24, *, opaque=False, kind=np.uint8):
    pixels = RNG.integers(0, np.iinfo(kind).max, (height, width, 4), dtype=kind, endpoint=True)
    if opaque:
        pixels[..., 3] = np.iinfo(kind).max
    return pixels


def flat(*colour, size=SIZE):
    return np.full((size[1], size[0], 4), colour, dtype=np.uint8)


def merged(path):
    """The merged picture (H, W, 4), 0..1."""
    with opened(path) as layered:
        return layered.merged() / 65535.0


def layer(name, more=""):
    return f'<layer name="{name}" src="data/{name}.png" {more}/>'


# ---- the standard, written out anew ----------------------------------------------------------------------------------


def _lum(c):
    return c @ np.array([0.3, 0.59, 0.11])


def _clip_color(c):
    y, n, x = _lum(c)[..., None], c.min(-1, keepdims=True), c.max(-1, keepdims=True)
    with np.errstate(all="ignore"):
        c = np.where(n < 0, y + (c - y) * y / (y - n), c)
        return np.where(x > 1, y + (c - y) * (1 - y) / (x - y), c)


def _set_lum(c, y):
    return _clip_color(c + (y - _lum(c))[..., None])


def _sat(c):
    return c.max(-1) - c.min(-1)


def _set_sat(c, s):
    low, span = c.min(-1, keepdims=True), np.ptp(c, axis=-1)[..., None]
    return np.where(span > 0, (c - low) * s[..., None] / np.where(span > 0, span, 1), 0)


def _soft(b, s):
    d = np.where(b <= 0.25, ((16 * b - 12) * b + 4) * b, np.sqrt(b))
    return np.where(s <= 0.5, b - (1 - 2 * s) * b * (1 - b), b + (2 * s - 1) * (d - b))


def _hard(b, s):
    return np.where(s <= 0.5, b * 2 * s, b + (2 * s - 1) - b * (2 * s - 1))


def _dodge(b, s):
    return np.where(b == 0, 0, np.where(s == 1, 1, np.minimum(1, b / np.where(s == 1, 1, 1 - s))))


def _burn(b, s):
    return np.where(b == 1, 1, np.where(s == 0, 0, 1 - np.minimum(1, (1 - b) / np.where(s == 0, 1, s))))


_BLEND = {
    "svg:multiply": lambda b, s: b * s,
    "svg:screen": lambda b, s: b + s - b * s,
    "svg:overlay": lambda b, s: _hard(s, b),
    "svg:darken": np.minimum,
    "svg:lighten": np.maximum,
    "svg:color-dodge": _dodge,
    "svg:color-burn": _burn,
    "svg:hard-light": _hard,
    "svg:soft-light": _soft,
    "svg:difference": lambda b, s: np.abs(b - s),
    "svg:hue": lambda b, s: _set_lum(_set_sat(s, _sat(b)), _lum(b)),
    "svg:saturation": lambda b, s: _set_lum(_set_sat(b, _sat(s)), _lum(b)),
    "svg:color": lambda b, s: _set_lum(s, _lum(b)),
    "svg:luminosity": lambda b, s: _set_lum(b, _lum(s)),
}
#: Fractions of layer and of what is below, section 9.1.4.
_FRACTIONS = {
    "svg:plus": lambda a, b: (1, 1),
    "svg:dst-in": lambda a, b: (0, a),
    "svg:dst-out": lambda a, b: (0, 1 - a),
    "svg:src-atop": lambda a, b: (b, 1 - a),
    "svg:dst-atop": lambda a, b: (1 - b, a),
}


def by_the_standard(below, above, opacity, operator):
    """Multiplied with alpha, (…, 4)."""
    cb, cs = below[..., :3], above[..., :3]
    ab, a = below[..., 3:], above[..., 3:] * opacity
    mixed = (1 - ab) * cs + ab * _BLEND.get(operator, lambda b, s: s)(cb, cs)
    fa, fb = _FRACTIONS.get(operator, lambda a, b: (1, 1 - a))(a, ab)
    return np.minimum(np.concatenate([a * fa * mixed + ab * fb * cb, a * fa + ab * fb], axis=-1), 1)


@pytest.mark.parametrize("operator", [o.svg for o in Operator])
@pytest.mark.parametrize("kind", [np.uint8, np.uint16])
def test_every_operator_is_the_standards(tmp_path, operator, kind):
    base, top = noise(kind=kind), noise(20, 15, kind=kind)
    path = openraster(
        tmp_path / "a.ora",
        layer("top", f'x="5" y="-3" opacity="0.7" composite-op="{operator}"') + layer("base"),
        base=base,
        top=top,
    )
    placed = np.zeros((24, 36, 4))
    placed[:12, 5:25] = top[3:] / np.iinfo(kind).max
    wanted = by_the_standard(base / np.iinfo(kind).max, placed, 0.7, operator)
    found = merged(path)
    found[..., :3] *= found[..., 3:]
    assert np.abs(found - wanted).max() < 3 / 65535


# where the package follows the standard; its luma, soft light and plus are others
_AGREED = [o for o in Operator if o.name not in ("SOFT_LIGHT", "PLUS", "HUE", "SATURATION", "COLOR", "LUMINOSITY")]


@pytest.mark.parametrize("operator", [o.svg for o in _AGREED])
def test_what_an_independent_package_writes_is_what_it_merged(tmp_path, operator):
    project = Project.new(48, 32)
    project.add_layer(Image.fromarray(noise(48, 32)), "base")
    project.add_layer(Image.fromarray(noise(30, 30)), "top", offsets=(9, 5), opacity=0.6, composite_op=operator)
    group = project.add_group("group", opacity=0.5, isolated=True)
    group.add_layer(Image.fromarray(noise(20, 32)), "inner", offsets=(3, 0), composite_op="svg:multiply")
    project.save(str(tmp_path / "a.ora"))
    with opened(tmp_path / "a.ora") as layered:
        picture = decode_picture(tmp_path / "a.ora")
        assert layered.against_merged(picture.numbers, picture.alpha) <= 1
        assert layered.stack.unknown == ()


# ---- groups, places, what is seen ------------------------------------------------------------------------------------


def test_a_group_is_by_itself_only_where_it_says_so_or_computes(tmp_path):
    parts = {"base": flat(200, 100, 50, 255), "ink": flat(128, 128, 128, 255)}
    inner = layer("ink", 'composite-op="svg:multiply"')
    darkened = np.array([200, 100, 50]) * 128 / 255

    def colour(group):
        return merged(openraster(tmp_path / "a.ora", f"{group}{layer('base')}", **parts))[3, 3, :3] * 255

    assert colour(f"<stack>{inner}</stack>") == pytest.approx(darkened, abs=0.02)
    assert colour(f'<stack isolation="isolate">{inner}</stack>') == pytest.approx([128, 128, 128], abs=0.02)
    half = (np.array([128] * 3) + [200, 100, 50]) / 2
    assert colour(f'<stack opacity="0.5">{inner}</stack>') == pytest.approx(half, abs=0.02)
    assert colour(f'<stack composite-op="svg:darken">{inner}</stack>') == pytest.approx([128, 100, 50], abs=0.02)


def test_hidden_layers_and_groups_take_no_part_and_keep_none_away(tmp_path):
    stack = (
        layer("a", 'composite-op="svg:dst-in" visibility="hidden"')
        + f'<stack visibility="hidden">{layer("a")}</stack>'
        + layer("b")
    )
    found = merged(openraster(tmp_path / "a.ora", stack, a=flat(0, 0, 0, 0), b=flat(10, 20, 30, 255)))
    assert (found[0, 0] * 255).round().tolist() == [10, 20, 30, 255]


def test_what_cuts_out_also_cuts_where_its_layer_has_no_pixels(tmp_path):
    small = flat(0, 0, 0, 255, size=(10, 10))
    for place, left in (('x="4" y="6"', 100), ('x="400" y="0"', 0)):
        path = openraster(
            tmp_path / "a.ora", layer("cut", f'composite-op="svg:dst-in" {place}') + layer("b"), cut=small, b=flat(9, 9, 9, 255)
        )
        assert np.count_nonzero(merged(path)[..., 3]) == left


def test_looking_at_every_third_pixel_is_exact(tmp_path):
    path = openraster(
        tmp_path / "a.ora",
        layer("top", 'x="5" y="7" composite-op="svg:soft-light"') + layer("base"),
        base=noise(),
        top=noise(17, 9),
    )
    with opened(path) as layered:
        every = np.concatenate([b.merged[0] for b in layered.bands((AS_IT_IS,))])
        third = np.concatenate([b.merged[0] for b in layered.bands((AS_IT_IS,), 3)])
    np.testing.assert_array_equal(third, every[::3, ::3])


# ---- parts of every kind ---------------------------------------------------------------------------------------------


@pytest.mark.parametrize("channels", [1, 2, 3, 4])
@pytest.mark.parametrize("kind", [np.uint8, np.uint16])
@pytest.mark.parametrize("packed", [False, True])
def test_rows_filtered_in_every_way_come_out_as_they_were(tmp_path, channels, kind, packed):
    pixels = RNG.integers(0, np.iinfo(kind).max, (24, 36, channels), dtype=kind, endpoint=True)
    pixels[..., -1] = np.iinfo(kind).max if channels in (2, 4) else pixels[..., -1]
    path = openraster(tmp_path / "a.ora", layer("a"), packed=packed, a=filtered_png(pixels, [4, 0, 3, 1, 2, 4, 4, 3, 3]))
    found = np.rint(merged(path) * np.iinfo(kind).max).astype(kind)
    np.testing.assert_array_equal(found[..., 0], pixels[..., 0])
    np.testing.assert_array_equal(found[..., 2], pixels[..., 2 if channels > 2 else 0])


def test_interlaced_palettes_and_a_transparent_colour_are_read(tmp_path):
    rgb = np.ascontiguousarray(noise()[..., :3])
    palette = Image.fromarray(rgb).quantize(16)
    parts = {}
    for name, image, options in (
        ("palette", palette, {}),
        ("clear", palette, {"transparency": 3}),
        ("bilevel", Image.fromarray(rgb).convert("1"), {}),
    ):
        stream = io.BytesIO()
        image.save(stream, "PNG", **options)
        parts[name] = stream.getvalue()
    key = tuple(int(v) for v in rgb[5, 5])
    parts["key"] = png(rgb, chunk(b"tRNS", struct.pack(">3H", *key)))
    for name, data in parts.items():
        wanted = np.asarray(Image.open(io.BytesIO(data)).convert("RGBA"))
        found = np.rint(merged(openraster(tmp_path / f"{name}.ora", layer(name), **{name: data})) * 255)
        np.testing.assert_array_equal(found * (found[..., 3:] > 0), wanted * (wanted[..., 3:] > 0.0))


def test_the_numbers_are_those_of_the_layers_profile_and_srgb_without_one(tmp_path):
    plain = inspect(openraster(tmp_path / "a.ora", layer("a"), a=noise()))
    assert (plain.tag.state, plain.tag.space, plain.format, plain.bits) == ("tagged", "srgb", "ora", 8)
    romm = profile_of(BUILT_IN["romm"])
    tagged = with_profile(noise(kind=np.uint16), romm)
    found = inspect(openraster(tmp_path / "b.ora", layer("a"), a=tagged, merged=noise()))
    assert (found.tag.source, found.tag.space, found.bits, found.icc) == ("icc", "romm", 16, romm)


def with_profile(pixels, icc):
    return encode_numbers(Picture(pixels[..., :3], pixels[..., 3], "rgb"), "png", icc, family="", source=None).data


def test_a_layer_with_another_profile_is_converted_to_that_of_the_rest_before_it_is_merged(tmp_path):
    red = flat(200, 30, 40, 255)
    path = openraster(
        tmp_path / "a.ora",
        layer("top", 'opacity="0.5"') + layer("base"),
        base=with_profile(flat(0, 0, 0, 255), profile_of(BUILT_IN["p3"])),
        top=with_profile(red, profile_of(BUILT_IN["srgb"])),
    )
    srgb, p3 = BUILT_IN["srgb"], BUILT_IN["p3"]
    wanted = p3.encode(p3.from_xyz @ (srgb.to_xyz @ srgb.decode(red[0, 0, :3] / 255))) / 2
    assert merged(path)[0, 0, :3] == pytest.approx(wanted, abs=2e-4)
    assert any("have another profile" in note for note in inspect(path).notes)


# ---- what is not known, and what is not sound ------------------------------------------------------------------------


def test_what_is_not_known_is_named_and_drawn_as_normal(tmp_path):
    stack = (
        layer("mist", 'composite-op="krokus:glow" opacity="1.5" x="0.4"')
        + '<filter type="blur" name="haze"/><!-- a word --><stack name="pair" x="3"/>'
        + layer("base", 'opacity="much"')
    )
    path = openraster(tmp_path / "a.ora", stack, mist=flat(40, 50, 60, 255), base=noise())
    assert (merged(path)[0, 0] * 255).round().tolist() == [40, 50, 60, 255]
    notes = " / ".join(inspect(path).notes)
    for said in (
        "krokus:glow of “mist”: drawn as normal",
        "filter “haze”: it is left out",
        "opacity much of “base”: taken as 1",
        "group “pair”",
    ):
        assert said in notes


_DTD = '<?xml version="1.0"?><!DOCTYPE image [<!ENTITY a "aaaaaaaaaa">]><image w="4" h="4"><stack/></image>'


@pytest.mark.parametrize(
    ("stack", "why"),
    [
        (layer("gone"), "lacks its part data/gone.png"),
        (layer("text"), "is no PNG"),
        (layer("cut"), "cut short"),
        (layer("spoilt"), "damaged"),
        (layer("huge"), "400 million"),
        ('<layer src="../../etc/passwd"/>', "lacks its part ../../etc/passwd"),
        ('<layer src="stack.xml"/>', "is no PNG"),
        ("<stack>" * 70 + "</stack>" * 70, "64 groups"),
        ("<layer", "is damaged"),
        ("</stack><!DOCTYPE x><stack>", "is damaged"),
    ],
)
def test_what_is_not_sound_is_refused_by_name(tmp_path, stack, why):
    whole = bytes(imagecodecs.png_encode(noise()))
    spoilt = bytearray(whole)
    spoilt[len(whole) // 2 : len(whole) // 2 + 9] = b"\xff" * 9
    huge = b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", struct.pack(">IIBBBBB", 1 << 20, 1 << 20, 8, 6, 0, 0, 0))
    path = openraster(
        tmp_path / "a.ora", stack, text=b"no picture", cut=whole[: len(whole) // 2], spoilt=bytes(spoilt), huge=huge
    )
    with pytest.raises(UnreadableFile, match=why) as caught:
        decode_picture(path)
    assert caught.value.file == path


def test_descriptions_and_archives_that_would_grow_without_end_are_refused(tmp_path):
    path = tmp_path / "a.ora"

    def written(image, *more):
        with zipfile.ZipFile(path, "w") as archive:
            archive.writestr(zipfile.ZipInfo("mimetype"), "image/openraster")
            archive.writestr("stack.xml", image, zipfile.ZIP_DEFLATED)
            for name, data in more:
                archive.writestr(name, data, zipfile.ZIP_DEFLATED)
        return path

    for image, why in (
        (_DTD, "DTDForbidden"),
        ("<image><stack/></image>", "how large"),
        ('<image w="0" h="5"><stack/></image>', "no pixels"),
        ('<image w="99999" h="99999"><stack/></image>', "million"),
        ('<image w="9" h="9"/>', "no stack"),
        (" " * ((1 << 24) + 1), "16 MB"),
        ('<image w="4" h="4"><stack>' + "<layer/>" * 10_001 + "</stack></image>", "10000 layers"),
    ):
        with pytest.raises(UnreadableFile, match=why):
            decode_picture(written(image))
    with pytest.raises(UnreadableFile, match="is no PNG"):
        decode_picture(
            written('<image w="4" h="4"><stack><layer src="data/a.png"/></stack></image>', ("data/a.png", b"\0" * 1000))
        )


def test_an_archive_that_is_cut_anywhere_never_does_more_than_refuse(tmp_path):
    whole = openraster(
        tmp_path / "a.ora", layer("top", 'opacity="0.5"') + layer("base"), base=noise(), top=noise()
    ).read_bytes()
    refused = 0
    for at in range(60, len(whole), max(len(whole) // 60, 1)):
        (tmp_path / "b.ora").write_bytes(whole[:at])
        with pytest.raises(UnreadableFile):
            decode_picture(tmp_path / "b.ora")
        refused += 1
    assert refused > 50


# ---- written, and listed ---------------------------------------------------------------------------------------------


@pytest.mark.parametrize("kind", [np.uint8, np.uint16])
def test_a_written_one_is_whole_for_another_reader_and_keeps_every_number(tmp_path, kind):
    pixels = noise(700, 40, kind=kind)
    pixels[..., 3] |= 1
    icc = profile_of(BUILT_IN["oprgb"])
    out = tmp_path / "a.ora"
    out.write_bytes(
        encode_numbers(Picture(pixels[..., :3], pixels[..., 3], "rgb"), "ora", icc, family="oprgb", source=None).data
    )
    with zipfile.ZipFile(out) as archive:
        first = archive.infolist()[0]
        assert (first.filename, first.compress_type, archive.read("mimetype")) == ("mimetype", 0, b"image/openraster")
        small = Image.open(io.BytesIO(archive.read("Thumbnails/thumbnail.png")))
        assert max(small.size) == 256
    read = Project.load(str(out))
    assert read.dimensions == (700, 40)
    if kind is np.uint8:
        np.testing.assert_array_equal(np.asarray(read.get_image_data(use_original=True)), pixels)
    with opened(out) as layered:
        again = layered.merged()
    scale = 65535 // np.iinfo(kind).max
    np.testing.assert_array_equal(again, pixels.astype(np.uint16) * scale)
    assert inspect(out).tag.space == "oprgb"


def test_its_layers_are_listed_and_are_merged_rather_than_left_behind(tmp_path):
    path = openraster(tmp_path / "a.ora", layer("mist") + layer("base"), mist=noise(), base=noise(), other=b"x", merged=noise())
    parts = contents_of(path).parts
    assert [p.name for p in parts] == ["layer base", "layer mist", "merged picture", "part data/other.png"]
    assert also_holds(parts) == "a preview, 2 layers, a part that is not understood"
    assert format_at(path).kind.id == "ora"


# ---- what the other order would do -----------------------------------------------------------------------------------


def test_gamma_alone_moves_a_blend_of_colours_that_every_space_holds(tmp_path):
    """Two greys, one half over the other: by closed form, from sRGB to linear ROMM."""
    a, b = 200 / 255, 40 / 255
    path = openraster(
        tmp_path / "a.ora",
        layer("mist", 'opacity="0.5"') + layer("base"),
        base=flat(200, 200, 200, 255),
        mist=flat(40, 40, 40, 255),
    )
    srgb, linear = BUILT_IN["srgb"], BUILT_IN["romm-linear"]
    first, light = srgb.decode(np.array([(a + b) / 2]))[0], srgb.decode(np.array([a, b])).mean()
    white = srgb.to_xyz @ np.ones(3)
    wanted = float(ciede2000(xyz_to_lab(white * first), xyz_to_lab(white * light)))
    found = shift_of(path, srgb, linear)
    assert found.mean == pytest.approx(wanted, abs=0.02) and found.largest == pytest.approx(wanted, abs=0.02)
    assert wanted > SEEN and found.share == 1.0
    assert [(c.name, c.operator, c.share) for c in found.causes] == [("mist", "normal", 1.0)]


def test_what_lies_opaque_and_normal_on_each_other_moves_nothing(tmp_path):
    path = openraster(
        tmp_path / "a.ora", layer("top", 'x="9"') + layer("base"), base=noise(opaque=True), top=noise(8, 8, opaque=True)
    )
    found = shift_of(path, BUILT_IN["srgb"], BUILT_IN["romm"])
    assert found.largest < 0.01 and found.causes == ()
    with opened(path) as layered:
        assert computing(layered) == []


def test_the_layer_that_moves_most_is_named_first_and_hidden_ones_are_not(tmp_path):
    stack = (
        layer("gone", 'composite-op="svg:screen" visibility="hidden"')
        + layer("corner", 'opacity="0.5"')
        + layer("mist", 'composite-op="svg:multiply"')
        + layer("base")
    )
    path = openraster(
        tmp_path / "a.ora",
        stack,
        base=flat(200, 180, 90, 255),
        mist=flat(90, 120, 200, 255),
        corner=flat(250, 250, 250, 255, size=(6, 6)),
        gone=noise(),
    )
    found = shift_of(path, BUILT_IN["srgb"], BUILT_IN["romm-linear"], sampled=400)
    assert [c.name for c in found.causes][:1] == ["mist"]
    assert "gone" not in [c.name for c in found.causes]
    with pytest.raises(NotSupported):
        shift_of(path, BUILT_IN["srgb"], LAB)
