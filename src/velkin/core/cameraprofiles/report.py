"""What to say of a profile: patch by patch, in one verdict, and in words by hue."""

from __future__ import annotations

import csv
import io
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from velkin.core.cameraprofiles.fit import FitRequest, common_exposure
from velkin.core.cameraprofiles.models import ColourMap, Matrix, as_rows
from velkin.core.cameraprofiles.profile import Figures
from velkin.core.charts.definition import Chart
from velkin.core.charts.greys import from_greys
from velkin.core.errors import FitRefused
from velkin.core.spaces.difference import ciede2000
from velkin.core.spaces.lab import xyz_to_lab
from velkin.core.spectra import illuminant_at

Floats = NDArray[np.float64]

#: Mean ΔE00 of the built-in profile from which its matrix is called wrong rather than general.
WRONG_MATRIX = 6.0


@dataclass(frozen=True)
class PatchColours:
    """The colours of a chart's patches, XYZ D50 (N, 3), all on the reference's exposure.

    Attributes
    ----------
    chart : Chart
    reference, before : ndarray (N, 3)
        As they are, and through the camera's built-in profile.
    rgb : ndarray (N, 3)
        Balanced camera RGB.
    balance : ndarray (3,)
    neutrals : tuple of int
        The neutral patches that the fit uses, by which exposures are matched.
    """

    chart: Chart
    reference: Floats
    before: Floats
    rgb: Floats
    balance: Floats
    neutrals: tuple[int, ...]

    def through(self, colours: ColourMap) -> Floats:
        """The patches through a map, brought to the reference's exposure by the neutrals."""
        xyz = colours.xyz(self.rgb)
        return np.asarray(xyz * common_exposure(xyz[:, 1], self.reference[:, 1], list(self.neutrals)))

    def errors(self, xyz: Floats) -> Floats:
        """ΔE00 (N,) from the reference."""
        return ciede2000(xyz_to_lab(xyz), xyz_to_lab(self.reference))


def patch_colours(request: FitRequest, as_shot: Floats) -> PatchColours:
    """The colours of the patches of what is to be fitted; `as_shot` (3,) is the balance where the greys give none."""
    rgb = request.reading.rgb()
    try:
        balance = from_greys(request.reading, request.chart)
    except FitRefused:
        balance = as_shot
    kelvin, _ = request.built_in.temperature(balance)
    light = request.light or illuminant_at(float(np.clip(kelvin, 1500.0, 25000.0)))
    out = request.left_out()
    rows = request.chart.neutral_rows()
    neutrals = tuple(i for i in rows if request.chart.ids[i] not in out) or tuple(rows)
    colours = PatchColours(request.chart, request.chart.reference(light), rgb, rgb * balance, balance, neutrals)
    built_in = Matrix(as_rows(request.built_in.matrix(balance)))
    return replace(colours, before=colours.through(built_in))


def verdict(figures: Figures) -> tuple[str, str]:
    """One glance: a state in a word or two, and the sentence that explains it."""
    if figures.neutral > 2.0:
        return "greys off", "The greys themselves are not met: look for a reflection or uneven light on the chart."
    if figures.worst > 6.0 and figures.mean < 2.0:
        return (
            "one patch off",
            f"One patch is {figures.worst:.1f} off and all others near: look at it, and leave it out if it is spoilt.",
        )
    if figures.mean <= 1.0 and figures.leave_one_out <= 1.5:
        return "very good", "Differences this small are not seen side by side; colours off the chart are met about as well."
    if figures.mean <= 2.0 and figures.leave_one_out <= 3.0:
        return "good", "Good enough for catalogue and product colour; the largest differences show only side by side."
    if figures.leave_one_out > 2.0 * figures.mean:
        return "fits the chart only", "The chart is met better than what lies between its patches: take a plainer model."
    return "poor", "Something is wrong with the reading, the chart's reference or the light: see the largest differences."


def wrong_built_in(figures: Figures) -> str:
    """A sentence when the chart says that the camera's built-in matrix is wrong; empty otherwise."""
    if figures.before < WRONG_MATRIX or figures.mean > 0.5 * figures.before:
        return ""
    return (
        f"The built-in matrix of this camera is wrong: it misses the chart by {figures.before:.1f} on average, "
        f"{figures.before / max(figures.mean, 0.01):.0f} times as much as this profile."
    )


# ---- differences in words -----------------------------------------------------------------------------------------

#: Hue angle in Lab at which each name begins, degrees.
_HUES = ((0.0, "reds"), (50.0, "oranges"), (75.0, "yellows"), (110.0, "greens"), (180.0, "cyans"), (230.0, "blues"), (300.0, "violets"), (340.0, "reds"))  # fmt: skip
_TOWARDS = {"reds": "red", "oranges": "orange", "yellows": "yellow", "greens": "green", "cyans": "cyan", "blues": "blue", "violets": "violet"}  # fmt: skip


def hue_name(angle: float) -> str:
    """The name of a Lab hue angle in degrees.

    Examples
    --------
    >>> hue_name(40.0), hue_name(260.0)
    ('reds', 'blues')
    """
    angle = angle % 360.0
    return [name for start, name in _HUES if angle >= start][-1]


def _neighbour(name: str, forward: bool) -> str:
    order = list(_TOWARDS)
    return _TOWARDS[order[(order.index(name) + (1 if forward else -1)) % len(order)]]


def differences_by_hue(lab: Floats, than: Floats, most: int = 4) -> list[str]:
    """How colours differ from others, in words, the largest first: ``reds 4.1 darker``, ``blues 6° towards violet``.

    Parameters
    ----------
    lab, than : ndarray (N, 3)
        Lab D50. Colours are sorted into hues by `than`; those of chroma below 12 are the greys.
    """
    chroma = np.hypot(than[:, 1], than[:, 2])
    angle = np.degrees(np.arctan2(than[:, 2], than[:, 1])) % 360.0
    names = np.array(["greys" if c < 12.0 else hue_name(a) for c, a in zip(chroma, angle, strict=True)])
    found: list[tuple[float, str]] = []
    for name in dict.fromkeys(names.tolist()):
        at = names == name
        lighter = float((lab[at, 0] - than[at, 0]).mean())
        found.append((abs(lighter), f"{name} {abs(lighter):.1f} {'lighter' if lighter > 0 else 'darker'}"))
        new_chroma = np.hypot(lab[at, 1], lab[at, 2])
        if name == "greys":
            tint = (lab[at, 1:] - than[at, 1:]).mean(axis=0)
            size = float(np.hypot(*tint))
            towards = _TOWARDS[hue_name(float(np.degrees(np.arctan2(tint[1], tint[0]))))]
            found.append((size, f"greys {size:.1f} towards {towards}"))
            continue
        more = float((new_chroma - chroma[at]).mean())
        found.append((0.6 * abs(more), f"{name} {abs(more):.1f} {'more' if more > 0 else 'less'} colourful"))
        turn = np.degrees(np.arctan2(lab[at, 2], lab[at, 1])) - angle[at]
        turned = float((((turn + 180.0) % 360.0) - 180.0).mean())
        shift = abs(np.radians(turned)) * float(np.minimum(chroma[at], new_chroma).mean())
        if abs(turned) >= 0.5:
            found.append((float(shift), f"{name} {abs(turned):.0f}° towards {_neighbour(name, turned > 0)}"))
    found.sort(key=lambda item: -item[0])
    return [words for size, words in found[:most] if size >= 0.3]


# ---- CSV ----------------------------------------------------------------------------------------------------------


def report_csv(colours: PatchColours, after: Floats) -> str:
    """The report as CSV: every patch's Lab as it is, before and after, and both differences."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    kinds = ("reference", "before", "after")
    writer.writerow(
        ["patch", "name", *(f"{kind}_{axis}" for kind in kinds for axis in ("L", "a", "b")), "before_dE00", "after_dE00"]
    )
    labs = [xyz_to_lab(x) for x in (colours.reference, colours.before, after)]
    errors = [colours.errors(x) for x in (colours.before, after)]
    for i, (patch, name) in enumerate(zip(colours.chart.ids, colours.chart.names, strict=True)):
        numbers = [f"{v:.3f}" for lab in labs for v in lab[i]] + [f"{e[i]:.3f}" for e in errors]
        writer.writerow([patch, name, *numbers])
    return out.getvalue()
