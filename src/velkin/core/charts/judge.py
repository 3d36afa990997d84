"""Judging a reading before it is used. Each judgement names what it is about, the patches, and what to do."""

from __future__ import annotations

from dataclasses import dataclass, replace
from enum import Enum

import numpy as np
from numpy.typing import NDArray

from velkin.core.charts.definition import Chart
from velkin.core.charts.evenness import LightOnChart, light_on
from velkin.core.charts.placing import colour_error
from velkin.core.charts.plain_camera import expected_camera_rgb
from velkin.core.charts.read import Reading
from velkin.core.errors import ReadingRefused

Floats = NDArray[np.float64]

_CLIPPED_SHARE = 0.01
_BURIED_SHARE = 0.25
_SMALLEST_PATCH = 10.0
_UNEVEN = 0.08
_BLUR_NOTED, _BLUR_REFUSED = 0.13, 0.24
_SHADOW = 0.13
_NOISE_NOTED = 0.12


class Verdict(Enum):
    """How much a judgement weighs."""

    GOOD = "good"
    NOTE = "look"
    REFUSE = "do not use"


@dataclass(frozen=True)
class Judgement:
    """One judgement of a reading.

    Attributes
    ----------
    about : str
        ``Clipping``, ``Size`` …
    finding : str
        What was measured, in words.
    verdict : Verdict
    patches : tuple of str
        Ids of the patches meant; empty for the whole chart.
    advice : str
        What to do; empty when nothing has to be done.
    """

    about: str
    finding: str
    verdict: Verdict
    patches: tuple[str, ...] = ()
    advice: str = ""


def _listed(ids: tuple[str, ...]) -> str:
    if len(ids) <= 5:
        return ", ".join(ids)
    return ", ".join(ids[:4]) + f" and {len(ids) - 4} more"


def judge(reading: Reading, chart: Chart, grid_error: float | None = None) -> tuple[Judgement, ...]:
    """All judgements of a reading, in the order they are shown.

    Patches that were left out are not judged one by one, so that leaving a bad patch out settles what was said of it.

    Parameters
    ----------
    reading : Reading
        As it was read: light not yet evened out.
    chart : Chart
    grid_error : float, optional
        From finding, as a share of a patch; None for corners placed by hand.
    """
    judged = [_corners(grid_error), _size(reading), _focus(reading), _clipping(reading), _noise(reading)]
    order = _order(reading, chart)
    hidden = any(j.verdict is Verdict.REFUSE and j.about in ("Size", "Focus") for j in judged)
    if order.verdict is Verdict.REFUSE or hidden:
        return (*judged, order)  # light cannot be told from colours that are not this chart's, or that ran into each other
    return (*judged, *_lighting(reading, chart), order)


def _lighting(reading: Reading, chart: Chart) -> tuple[Judgement, Judgement, Judgement]:
    """Glare, shadow and evenness, told from each other: each is looked for where the others were taken out."""
    reading = _as_light(reading, chart)
    light = light_on(reading, chart)
    glare, shadow = _glare(reading, chart, light), _shadow(reading, chart, light)
    # a few bright patches among many are glare, unless what makes them bright leaves their hues alone
    thrown = shadow.patches and len(shadow.patches) < 0.75 * len(chart.ids) and _hues_stay(light, chart, glare.patches)
    if glare.patches and not thrown:
        without = replace(reading.choices, left_out=(*reading.choices.left_out, *glare.patches))
        rest = light_on(replace(reading, choices=without), chart)
        if shadow.patches:
            shadow = _shadow(replace(reading, choices=without), chart, rest)
        if not shadow.patches:
            light = rest
            glare = _glare(reading, chart, light)
    if shadow.patches:
        shadow = _shadow(reading, chart, light)
        glare = Judgement("Glare", "cannot be told beside a shadow", Verdict.GOOD)
    return glare, shadow, _evenness(reading, light, shadow)


def _hues_stay(light: LightOnChart, chart: Chart, patches: tuple[str, ...]) -> bool:
    """Whether patches that are too bright kept their colours: then light fell on them, no white was added."""
    rows = [chart.ids.index(p) for p in patches]
    return not rows or float(np.quantile(light.colour[rows].std(axis=1), 0.8)) < 0.06


def _as_light(reading: Reading, chart: Chart) -> Reading:
    """The reading in numbers proportional to light: a finished picture's are decoded by the power that its grey row shows."""
    rows = [i for i in chart.neutral_rows() if reading.patches[i].clipped < _CLIPPED_SHARE]
    expected, seen = expected_camera_rgb(chart)[rows, 1], reading.rgb()[rows, 1]
    if len(rows) < 3 or seen.min() <= 0 or np.ptp(np.log(expected)) < 1.0:
        return reading
    power = float(np.polyfit(np.log(expected), np.log(seen), 1)[0])
    if power > 0.75:
        return reading
    straight = reading.rgb() ** (1.0 / max(power, 0.3))
    patches = tuple(
        replace(p, rgb=(float(r), float(g), float(b))) for p, (r, g, b) in zip(reading.patches, straight, strict=True)
    )
    return replace(reading, patches=patches)


def _left_out(reading: Reading) -> set[str]:
    return set(reading.choices.left_out)


def _corners(grid_error: float | None) -> Judgement:
    if grid_error is None or not np.isfinite(grid_error):
        return Judgement("Corners", "placed by hand", Verdict.GOOD)
    words = f"edges within {max(grid_error, 0.01):.2f} patch"
    if grid_error <= 0.1:
        return Judgement("Corners", words, Verdict.GOOD)
    return Judgement(
        "Corners", words, Verdict.NOTE, advice="Check that the rings lie inside their patches; drag the corners where not."
    )


def _size(reading: Reading) -> Judgement:
    words = f"{reading.patch_pixels:.0f} px a patch"
    if reading.patch_pixels >= _SMALLEST_PATCH:
        return Judgement("Size", words, Verdict.GOOD)
    return Judgement("Size", words, Verdict.REFUSE, advice="Shoot the chart larger: at least 10 pixels a patch.")


def _focus(reading: Reading) -> Judgement:
    # one pixel of softness is the lens's and the sampling's own, and no fault of a small chart
    blur = max(reading.edge_blur - 1.2 / max(reading.patch_pixels, 1.0), 0.0)
    words = f"edges {100 * blur:.0f} % of a patch soft" if blur > 0.02 else "sharp"
    if blur <= _BLUR_NOTED:
        return Judgement("Focus", words, Verdict.GOOD)
    if blur <= _BLUR_REFUSED:
        return Judgement("Focus", words, Verdict.NOTE, advice="Shoot again in focus, or read a smaller sample of each patch.")
    return Judgement("Focus", words, Verdict.REFUSE, advice="Shoot again in focus: neighbouring patches run into each other.")


def _clipping(reading: Reading) -> Judgement:
    clipped = tuple(p.id for p in reading.patches if p.clipped > _CLIPPED_SHARE and p.id not in _left_out(reading))
    if not clipped:
        kept = [max(p.rgb) for p in reading.patches if p.id not in _left_out(reading)]
        return Judgement("Clipping", f"brightest at {100 * max(kept, default=0.0):.0f} %", Verdict.GOOD)
    few = len(clipped) <= max(1, len(reading.patches) // 8)
    return Judgement(
        "Clipping",
        f"{_listed(clipped)} clipped",
        Verdict.REFUSE,
        clipped,
        "Shoot the chart again with less exposure: clipped patches have lost their colour"
        + (", or leave them out." if few else "."),
    )


def _noise(reading: Reading) -> Judgement:
    kept = [p for p in reading.patches if p.id not in _left_out(reading)]
    buried = tuple(p.id for p in kept if p.buried > _BURIED_SHARE)
    if buried:
        return Judgement(
            "Noise", f"{_listed(buried)} buried in black", Verdict.REFUSE, buried, "Shoot the chart again with more exposure."
        )
    noisy = tuple(p.id for p in kept if p.spread > 0.35 and p.slope < 0.5 * p.spread)
    middle = float(np.median([p.spread for p in kept])) if kept else 0.0
    if middle > _NOISE_NOTED:
        return Judgement(
            "Noise",
            f"{100 * middle:.0f} % on a middling patch",
            Verdict.NOTE,
            noisy,
            "Shoot the chart again with more exposure, or average several frames of it.",
        )
    return Judgement("Noise", f"{100 * middle:.1f} % on a middling patch", Verdict.GOOD)


def _glare(reading: Reading, chart: Chart, light: LightOnChart) -> Judgement:
    """Patches that are brighter and less saturated than the chart allows: white added on top of their colour."""
    measured = reading.rgb()
    level = light.at(chart.centres())
    predicted = light.predicted * level[:, None]
    white = light.white * level[:, None]
    extra = measured - predicted
    # how far a 3×3 matrix misses without glare grows with the patch's own light
    tolerance = 0.10 * predicted + 0.004 * white
    added = (extra * white / tolerance**2).sum(axis=1) / (white**2 / tolerance**2).sum(axis=1)
    sure = added * np.sqrt((white**2 / tolerance**2).sum(axis=1))
    slopes = np.array([p.slope for p in reading.patches])
    brightness = measured.sum(axis=1) / light.white.sum()
    noise = np.array([p.spread for p in reading.patches])
    bright_gradient = slopes * brightness > 0.012 + 0.25 * noise * brightness
    kept = ~np.isin(chart.ids, reading.choices.left_out)
    flagged = kept & (((added > 0.012) & (sure > 3.0)) | ((added > 0.008) & bright_gradient & (slopes > 0.06)))
    patches = tuple(np.array(chart.ids)[flagged].tolist())
    if not patches:
        return Judgement("Glare", "none", Verdict.GOOD)
    worst = int(np.argmax(np.where(flagged, added, -1)))
    return Judgement(
        "Glare",
        f"{_listed(patches)}: up to {100 * added[worst]:.0f} % of white added",
        Verdict.NOTE,
        patches,
        "Turn the chart away from what it mirrors and shoot again, or leave these patches out.",
    )


def _shadow(reading: Reading, chart: Chart, light: LightOnChart) -> Judgement:
    """A step in the light: the patches beyond some line are darker than the others by a common factor."""
    from statistics import median

    places = chart.centres() * np.array([chart.aspect, 1.0])
    usable = np.array([p.clipped < _CLIPPED_SHARE and p.buried < _BURIED_SHARE for p in reading.patches])
    usable &= ~np.isin(chart.ids, reading.choices.left_out)
    level, count = light.level[usable], int(usable.sum())
    if count < 8:
        return Judgement("Shadow", "cannot be told", Verdict.GOOD)
    spots = places[usable]
    off = np.sqrt((light.colour[usable] ** 2).mean(axis=1))
    weight = 1.0 / (1.0 + (off / 0.15) ** 2)
    plane = np.column_stack([np.ones(count), spots])

    def misfit(design: Floats) -> tuple[float, Floats]:
        robust = weight.copy()
        for _ in range(4):
            rooted = np.sqrt(robust)
            answer = np.linalg.lstsq(design * rooted[:, None], level * rooted, rcond=None)[0]
            left = level - design @ answer
            spread = max(1.4826 * float(np.median(np.abs(left))), 0.02)
            robust = weight / (1.0 + (left / (2.5 * spread)) ** 2)
        return float(np.abs(left).mean()), answer

    even, _ = misfit(plane)
    best: tuple[float, float, NDArray[np.bool_]] | None = None
    for angle in np.arange(0.0, 180.0, 15.0):
        along = spots @ np.array([np.cos(np.deg2rad(angle)), np.sin(np.deg2rad(angle))])
        ordered = np.sort(along)
        fewest = max(2, round(0.08 * count))
        for cut in range(fewest, count - fewest + 1):
            if ordered[cut] - ordered[cut - 1] < 1e-6:
                continue
            side = along > (ordered[cut] + ordered[cut - 1]) / 2
            rough = median(level[side].tolist()) - median(level[~side].tolist())  # of few numbers: quicker than NumPy's
            if abs(rough) < 0.6 * _SHADOW:
                continue
            left, answer = misfit(np.column_stack([plane, side.astype(np.float64)]))
            if best is None or left < best[0]:
                best = (left, float(answer[3]), side)
    # a weak step has to explain more than a strong one to be believed
    if best is None or abs(best[1]) < _SHADOW or best[0] > (0.62 if abs(best[1]) < 0.3 else 0.8) * even:
        return Judgement("Shadow", "none", Verdict.GOOD)
    dark = best[2] if best[1] < 0 else ~best[2]
    patches = tuple(np.array(chart.ids)[usable][dark].tolist())
    return Judgement(
        "Shadow",
        f"{_listed(patches)} darker by {100 * (1 - np.exp(-abs(best[1]))):.0f} %",
        Verdict.REFUSE,
        patches,
        "Move what throws the shadow and shoot again, or leave these patches out.",
    )


def _evenness(reading: Reading, light: LightOnChart, shadow: Judgement) -> Judgement:
    fall = light.fall()
    words = f"falls {100 * fall:.0f} % across"
    if shadow.patches:
        return Judgement("Light", "broken by the shadow", Verdict.GOOD)
    if reading.choices.even_light:
        return Judgement("Light", f"{words}, evened out", Verdict.GOOD)
    if fall <= _UNEVEN:
        return Judgement("Light", words, Verdict.GOOD)
    return Judgement(
        "Light", words, Verdict.NOTE, advice="Even out the light here, or turn the chart until the light on it is even."
    )


def _order(reading: Reading, chart: Chart) -> Judgement:
    expected, centres = expected_camera_rgb(chart), chart.centres()
    seen = reading.rgb()
    kept = ~np.isin(chart.ids, reading.choices.left_out)
    error = colour_error(seen[kept], expected[kept], centres[kept])
    if error <= 0.5:
        return Judgement("Order", "as on the chart", Verdict.GOOD)
    about = np.arange(len(seen))[::-1]
    if colour_error(seen[about][kept], expected[kept], centres[kept]) < min(0.45, 0.7 * error):
        return Judgement(
            "Order",
            "the grid lies upside down",
            Verdict.REFUSE,
            advice="Turn the grid twice, until its first patch lies on the chart's first patch.",
        )
    return Judgement(
        "Order",
        "colours are not this chart's",
        Verdict.REFUSE,
        advice="Another chart, or turned: turn the grid until its first patch lies on the chart's first patch, or choose the chart.",
    )


def refuse_unusable(judgements: tuple[Judgement, ...]) -> None:
    """Stop before a fit on a reading that must not be used.

    Raises
    ------
    ReadingRefused
        Naming every reason and what to do.
    """
    reasons = [j for j in judgements if j.verdict is Verdict.REFUSE]
    if reasons:
        raise ReadingRefused("; ".join(f"{j.finding}. {j.advice}" for j in reasons))


def without_clipped_colours(
    judgements: tuple[Judgement, ...], neutrals: tuple[str, ...]
) -> tuple[tuple[Judgement, ...], tuple[str, ...]]:
    """For finished pictures: judgements without those on coloured patches at an end of the picture's range, and the patches.

    A space that a picture was rendered to holds no saturated colours; such patches say nothing and are left out of a fit. Greys at
    an end stay a reason to refuse.
    """
    at_end = [j for j in judgements if j.verdict is Verdict.REFUSE and j.about in ("Clipping", "Noise")]
    coloured = tuple(sorted({p for j in at_end for p in j.patches} - set(neutrals)))
    spared = [j for j in at_end if not set(j.patches) & set(neutrals)]
    return tuple(j for j in judgements if j not in spared), coloured
