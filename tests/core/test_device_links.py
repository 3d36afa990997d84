"""Device links: every kind of table that is read, held to LittleCMS and to closed forms; and what is no link is refused."""

from __future__ import annotations

import struct
from dataclasses import replace

import imagecodecs
import numpy as np
import pytest
import tifffile

from velkin.cli import main
from velkin.core.errors import BadProfile
from velkin.core.icc.write import assemble, matrix_profile, s15f16, text_v4
from velkin.core.looks.device_link import device_link
from velkin.core.looks.kept import LookKind
from velkin.core.looks.reading import read_look
from velkin.core.spaces.rgb import SRGB
from velkin.core.stages.given_look import GivenLook, make_ready

SIDE = 17


def nodes(side: int = SIDE) -> np.ndarray:
    steps = np.linspace(0.0, 1.0, side)
    return np.stack(np.meshgrid(steps, steps, steps, indexing="ij"), axis=-1).reshape(-1, 3)


def bent(x: np.ndarray) -> np.ndarray:
    """What the test's tables hold: no plane anywhere."""
    return np.clip(0.1 + 0.8 * x[:, ::-1] ** 1.3 + 0.1 * x[:, [1, 2, 0]] * (1.0 - x), 0.0, 1.0)


def codes(values: np.ndarray, wide: int) -> bytes:
    top, kind = (65535, ">u2") if wide == 2 else (255, "u1")
    return np.round(np.clip(values, 0.0, 1.0) * top).astype(kind).tobytes()


def lut(wide: int, power: float) -> bytes:
    """lut16Type or lut8Type with bent curves at both ends."""
    first = np.linspace(0.0, 1.0, 64 if wide == 2 else 256) ** power
    last = np.linspace(0.0, 1.0, 32 if wide == 2 else 256) ** (1.0 / power)
    head = (b"mft2" if wide == 2 else b"mft1") + bytes(4) + bytes([3, 3, SIDE, 0]) + s15f16(np.eye(3))
    sizes = struct.pack(">HH", len(first), len(last)) if wide == 2 else b""
    return head + sizes + 3 * codes(first, wide) + codes(bent(nodes()), wide) + 3 * codes(last, wide)


def padded(data: bytes) -> bytes:
    return data + bytes(-len(data) % 4)


PARAMETRIC = {
    0: (1.8,),
    1: (2.0, 0.9, 0.1),
    2: (2.0, 0.8, 0.1, 0.1),
    3: (2.4, 1 / 1.055, 0.055 / 1.055, 1 / 12.92, 0.04045),
    4: (2.2, 0.9, 0.08, 0.3, 0.05, 0.02, 0.01),
}


def para(function: int) -> bytes:
    values = PARAMETRIC[function]
    return padded(
        b"para"
        + bytes(4)
        + struct.pack(">HH", function, 0)
        + struct.pack(f">{len(values)}i", *(round(v * 65536) for v in values))
    )


def a_to_b(function: int, wide: int = 2, with_table: bool = True) -> bytes:
    """lutAToBType: A curves of a gamma, table, M curves of a parametric function, a matrix with offsets, B curves of points."""
    a = padded(b"curv" + bytes(4) + struct.pack(">IH", 1, round(1.2 * 256))) * 3
    m = para(function) * 3
    rows = np.array([[0.8, 0.1, 0.05], [0.05, 0.85, 0.05], [0.02, 0.08, 0.8]])
    matrix = struct.pack(">12i", *(round(v * 65536) for v in (*rows.ravel(), 0.02, 0.01, 0.03)))
    points = np.linspace(0.0, 1.0, 33) ** 0.9
    b = padded(b"curv" + bytes(4) + struct.pack(">I", len(points)) + codes(points, 2)) * 3
    table = padded(bytes([SIDE] * 3 + [0] * 13) + bytes([wide, 0, 0, 0]) + codes(bent(nodes()), wide))
    at = [32]
    for part in (b, matrix, m, table):
        at.append(at[-1] + len(part))
    offsets = (at[0], at[1], at[2], at[3] if with_table else 0, at[4] if with_table else 0)
    return b"mAB " + bytes(4) + bytes([3, 3, 0, 0]) + struct.pack(">5I", *offsets) + b + matrix + m + table + a


def link(table: bytes, goal: bytes = b"RGB ", model: bytes = b"RGB ") -> bytes:
    tags = [(b"desc", text_v4("Dusk link")), (b"cprt", text_v4("none")), (b"A2B0", table)]
    return assemble(tags, 4, kind=b"link", connection=goal, model=model, intent=0)


@pytest.mark.parametrize(
    ("table", "off"),
    [
        (lut(2, 1.5), 2e-4),
        (lut(1, 1.5), 2e-4),
        *((a_to_b(f), 3e-4) for f in PARAMETRIC),
        (a_to_b(0, wide=1), 3e-4),
        (a_to_b(3, with_table=False), 3e-4),
    ],
)
def test_a_link_after_itself_is_what_littlecms_makes_of_two(table, off):
    data = link(table)
    x = np.random.default_rng(2).random((1, 4000, 3)).astype(np.float32)
    flags = int(imagecodecs.CMS.FLAGS.NOOPTIMIZE)
    meant = imagecodecs.cms_transform(x, data, data, colorspace="rgb", outcolorspace="rgb", flags=flags)[0]
    found = device_link(data)
    assert np.abs(found.through(found.through(x[0])) - meant).max() < off


def test_a_table_of_straight_curves_is_met_at_its_nodes():
    head = b"mft2" + bytes(4) + bytes([3, 3, SIDE, 0]) + s15f16(np.eye(3)) + struct.pack(">HH", 2, 2)
    straight = 3 * codes(np.array([0.0, 1.0]), 2)
    found = device_link(link(head + straight + codes(bent(nodes()), 2) + straight))
    assert np.abs(found.through(nodes().astype(np.float32)) - bent(nodes())).max() < 2e-5
    # beyond full scale counts as full scale
    assert np.allclose(
        found.through(np.array([[1.5, -0.2, 0.5]], np.float32)), found.through(np.array([[1.0, 0.0, 0.5]], np.float32))
    )


@pytest.mark.parametrize(
    ("data", "says"),
    [
        (matrix_profile(SRGB), "no device link"),
        (link(lut(2, 1.0), goal=b"CMYK"), "from rgb to CMYK"),
        (link(lut(2, 1.0), model=b"CMYK"), "from cmyk"),
        (link(lut(2, 1.0)[:5000]), "ends before"),
        (link(a_to_b(0)[:700]), "ends before"),
        (link(b"mft2" + bytes(4) + bytes([4, 3, 9, 0]) + bytes(100)), "4 channels in"),
        (
            link(b"mft2" + bytes(4) + bytes([3, 3, 255, 0]) + s15f16(np.eye(3)) + struct.pack(">HH", 2, 2) + bytes(12)),
            "255 nodes",
        ),
        (
            link(b"mft2" + bytes(4) + bytes([3, 3, 9, 0]) + s15f16(np.eye(3)) + struct.pack(">HH", 1, 2) + bytes(9000)),
            "fewer than two",
        ),
        (link(b"mpet" + bytes(60)), "no table that is read"),
        (link(a_to_b(0).replace(b"para" + bytes(4) + bytes([0, 0]), b"para" + bytes(4) + bytes([0, 9]))), "unknown function 9"),
        (link(a_to_b(0).replace(b"para", b"odd!")), "a curve of a kind"),
    ],
)
def test_what_is_no_link_is_refused_by_name(data, says):
    with pytest.raises(BadProfile, match=says):
        device_link(data)


def test_a_link_is_asked_for_its_numbers_and_put_on(tmp_path, capfd):
    (tmp_path / "dusk.icc").write_bytes(link(lut(2, 1.0)))
    look = read_look(tmp_path / "dusk.icc")
    assert (look.kind, look.name, look.asks) == (LookKind.LINK, "Dusk link", True)
    numbers = np.random.default_rng(1).integers(0, 65536, (30, 40, 3), dtype=np.uint16)
    tifffile.imwrite(tmp_path / "in.tif", numbers, photometric="rgb", iccprofile=matrix_profile(SRGB))
    out = tmp_path / "out.tif"
    words = ["apply", str(tmp_path / "in.tif"), "--match", str(tmp_path / "dusk.icc"), "--input", "srgb", "--output", "srgb"]
    assert main([*words, "--out", str(out)]) == 0
    capfd.readouterr()
    meant = bent(numbers.reshape(-1, 3) / 65535.0)
    assert np.abs(tifffile.imread(out).reshape(-1, 3) / 65535.0 - meant).max() < 0.01  # between nodes the table is straight
    make_ready(replace(look, takes=SRGB, gives=SRGB), SRGB)
    assert GivenLook(replace(look, takes=SRGB), 0.5).describe()[0].words == "look Dusk link, 50\u202f%"
    (tmp_path / "half.icc").write_bytes(link(lut(2, 1.0)[:5000]))
    with pytest.raises(BadProfile, match=r"half\.icc"):
        read_look(tmp_path / "half.icc")
