"""A chart as something to print: a 16-bit TIFF and a vector PDF, in sRGB, one of A4 landscape each.

Printed numbers are those whose nominal colour is the definition's; what a printer makes of them is found by measuring the print.
The PDF follows ISO 32000-1 with nothing but filled rectangles, circles, text in a standard font and an ICC-based colour space.
"""

from __future__ import annotations

import io

import cv2
import numpy as np
import tifffile
from numpy.typing import NDArray

from velkin.core.charts import marks
from velkin.core.charts.definition import Chart
from velkin.core.icc.write import matrix_profile
from velkin.core.spaces.rgb import SRGB

Floats = NDArray[np.float64]

#: A4 landscape in millimetres, and the margin that printers need.
PAGE = (297.0, 210.0)
_MARGIN = 12.0
_PPI = 200.0
_DARK = 0.16  # sRGB of the panel between the patches
_BLACK = 0.06  # sRGB of the marks


def print_numbers(chart: Chart) -> Floats:
    """sRGB numbers (N, 3), 0..1, that stand for the patches' colours under D50; what sRGB cannot hold is clipped."""
    return np.clip(SRGB.encode(np.clip(chart.reference_d50() @ SRGB.from_xyz.T, 0.0, 1.0)), 0.0, 1.0)


def layout(chart: Chart) -> tuple[Floats, float, float]:
    """Where the chart lies on the page: left and top of its patches (2,) and the patches' pitch across and down, in mm."""
    beyond = 2 * (marks.OUT + marks.RADIUS) if chart.marks else 2 * marks.PANEL
    across, down = chart.columns - chart.gap + beyond, (chart.rows - chart.gap + beyond) / chart.proportion
    pitch = min((PAGE[0] - 2 * _MARGIN) / across, (PAGE[1] - 2 * _MARGIN - 8.0) / down)
    size = np.array([(chart.columns - chart.gap) * pitch, (chart.rows - chart.gap) * pitch / chart.proportion])
    return (np.array(PAGE) - np.array([0.0, 6.0]) - size) / 2, pitch, pitch / chart.proportion


def _shapes(chart: Chart) -> tuple[list[tuple[Floats, Floats]], list[tuple[Floats, float, float]]]:
    """Rectangles (left, top, width, height in mm; RGB) and discs (x, y; radius; grey), in the order they are painted."""
    corner, pitch_x, pitch_y = layout(chart)
    size = np.array([(chart.columns - chart.gap) * pitch_x, (chart.rows - chart.gap) * pitch_y])
    border = marks.PANEL * np.array([pitch_x, pitch_y])
    rectangles = [(np.concatenate([corner - border, size + 2 * border]), np.full(3, _DARK))]
    for box, colour in zip(chart.boxes(), print_numbers(chart), strict=True):
        rectangles.append((np.concatenate([corner + box[:2] * size, (box[2:] - box[:2]) * size]), colour))
    discs: list[tuple[Floats, float, float]] = []
    if chart.marks:
        for number, centre in enumerate(marks.centres(chart)):
            discs.append((corner + centre * size, marks.RADIUS * pitch_x, _BLACK))
            if number:
                discs.append((corner + centre * size, marks.HOLE * pitch_x, 1.0))
    return rectangles, discs


def chart_tiff(chart: Chart) -> bytes:
    """A 16-bit sRGB TIFF of the chart on an A4 page, tagged, at 200 pixels per inch."""
    scale = _PPI / 25.4
    width, height = round(PAGE[0] * scale), round(PAGE[1] * scale)
    page = np.full((height, width, 3), 65535, dtype=np.uint16)
    rectangles, discs = _shapes(chart)
    for (left, top, w, h), colour in rectangles:
        x0, y0, x1, y1 = (round(v * scale) for v in (left, top, left + w, top + h))
        page[y0:y1, x0:x1] = np.round(colour * 65535)
    for centre, radius, grey in discs:
        soft = np.zeros((height, width), dtype=np.uint8)
        at = tuple(round(float(v) * scale * 16) for v in centre)
        cv2.circle(soft, at, round(radius * scale * 16), 255, -1, cv2.LINE_AA, 4)
        share = soft[..., None].astype(np.float32) / 255
        page = np.round(page * (1 - share) + grey * 65535 * share).astype(np.uint16)
    stream = io.BytesIO()
    tifffile.imwrite(
        stream, page, photometric="rgb", compression="adobe_deflate", predictor=True, resolution=(_PPI, _PPI), resolutionunit=2,
        metadata=None, description=f"{chart.name}: print without scaling", software="Velkin", iccprofile=matrix_profile(SRGB, 4),
    )  # fmt: skip
    return stream.getvalue()


def chart_pdf(chart: Chart) -> bytes:
    """A vector PDF of the chart on an A4 page, colours as ICC-based sRGB."""
    point = 72.0 / 25.4
    rectangles, discs = _shapes(chart)
    lines = ["/sRGB cs"]
    for (left, top, w, h), colour in rectangles:
        lines.append(" ".join(f"{v:.5f}" for v in colour) + " sc")
        lines.append(f"{left * point:.3f} {(PAGE[1] - top - h) * point:.3f} {w * point:.3f} {h * point:.3f} re f")
    bend = 0.5522847498  # control length that makes four cubic curves a circle
    for centre, radius, grey in discs:
        x, y, r = float(centre[0]) * point, (PAGE[1] - float(centre[1])) * point, radius * point
        k = bend * r
        lines.append(f"{grey:.4f} {grey:.4f} {grey:.4f} sc {x + r:.3f} {y:.3f} m")
        for ax, ay, bx, by, cx, cy in (
            (x + r, y + k, x + k, y + r, x, y + r),
            (x - k, y + r, x - r, y + k, x - r, y),
            (x - r, y - k, x - k, y - r, x, y - r),
            (x + k, y - r, x + r, y - k, x + r, y),
        ):
            lines.append(f"{ax:.3f} {ay:.3f} {bx:.3f} {by:.3f} {cx:.3f} {cy:.3f} c")
        lines.append("f")
    words = f"{chart.name}.  Print without scaling, colour managed as sRGB, on the paper it will be used on; then measure it."
    safe = words.encode("ascii", "replace").decode().replace("\\", " ").replace("(", "\\(").replace(")", "\\)")
    lines.append(f"0.25 0.25 0.25 sc BT /F1 8 Tf {_MARGIN * point:.2f} {7.0 * point:.2f} Td ({safe}) Tj ET")
    content = "\n".join(lines).encode()
    icc = matrix_profile(SRGB, 4)
    box = f"[0 0 {PAGE[0] * point:.3f} {PAGE[1] * point:.3f}]".encode()
    objects = [
        b"<< /Type /Catalog /Pages 2 0 R >>",
        b"<< /Type /Pages /Kids [3 0 R] /Count 1 >>",
        b"<< /Type /Page /Parent 2 0 R /MediaBox "
        + box
        + b" /Contents 4 0 R /Resources << /ColorSpace << /sRGB [/ICCBased 5 0 R] >>"
        b" /Font << /F1 << /Type /Font /Subtype /Type1 /BaseFont /Helvetica >> >> >> >>",
        b"<< /Length %d >>\nstream\n" % len(content) + content + b"\nendstream",
        b"<< /N 3 /Alternate /DeviceRGB /Length %d >>\nstream\n" % len(icc) + icc + b"\nendstream",
    ]
    out = bytearray(b"%PDF-1.7\n%\xe2\xe3\xcf\xd3\n")
    places = []
    for number, body in enumerate(objects, start=1):
        places.append(len(out))
        out += b"%d 0 obj\n" % number + body + b"\nendobj\n"
    start = len(out)
    out += b"xref\n0 %d\n0000000000 65535 f \n" % (len(objects) + 1)
    out += b"".join(b"%010d 00000 n \n" % place for place in places)
    out += b"trailer\n<< /Size %d /Root 1 0 R >>\nstartxref\n%d\n%%%%EOF\n" % (len(objects) + 1, start)
    return bytes(out)
