"""Judging a reading before it is used. Each judgement names what it is about, the patches, and what to do."""

from __future__ import annotations

from dataclasses import dataclass
from enum import Enum

import numpy as np
from numpy.typing import NDArray

from velkin.core.charts.definition import Chart, expected_camera_rgb
from velkin.core.charts.placing import colour_error
from velkin.core.charts.read import Reading
from velkin.core.errors import ReadingRefused

Floats = NDArray[np.float64]

_CLIPPED_SHARE = 0.01
_BURIED_SHARE = 0.25
_SMALLEST_PATCH = 10.0


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


def light_fall(reading: Reading, chart: Chart) -> float:
    """How much the light changes across the chart, as a share of its mean: range of a plane fitted to the patches' gains."""
    gain = reading.rgb()[:, 1] / expected_camera_rgb(chart)[:, 1]
    neutral = chart.neutral_rows()[:-1]
    level = np.log(np.maximum(gain, 1e-6))
    centres = chart.centres()
    # green through a plain band misjudges saturated colours by a constant: weigh the neutrals, which it cannot misjudge
    weight = np.full(len(gain), 0.25)
    weight[neutral] = 1.0
    design = np.column_stack([np.ones(len(gain)), centres - 0.5])
    coefficients: Floats = np.zeros(3)
    for _ in range(10):
        rooted = np.sqrt(weight)[:, None]
        coefficients = np.linalg.lstsq(design * rooted, level * rooted[:, 0], rcond=None)[0]
        residual = level - design @ coefficients
        scale = max(1.4826 * float(np.median(np.abs(residual))), 1e-4)
        weight = np.where(np.isin(np.arange(len(gain)), neutral), 1.0, 0.25) / (1.0 + (residual / (1.5 * scale)) ** 2)
    return float(abs(coefficients[1]) + abs(coefficients[2]))


def judge(reading: Reading, chart: Chart, grid_error: float | None = None) -> tuple[Judgement, ...]:
    """All judgements of a reading, in the order they are shown.

    Parameters
    ----------
    reading : Reading
    chart : Chart
    grid_error : float, optional
        From finding, as a share of a patch; None for corners placed by hand.
    """
    found: list[Judgement] = []
    if grid_error is not None and np.isfinite(grid_error):
        fits = Verdict.GOOD if grid_error <= 0.1 else Verdict.NOTE
        advice = "" if fits is Verdict.GOOD else "Check that the rings lie inside their patches; drag the corners where not."
        found.append(Judgement("Corners", f"edges within {max(grid_error, 0.01):.2f} patch", fits, advice=advice))
    else:
        found.append(Judgement("Corners", "placed by hand", Verdict.GOOD))

    size = reading.patch_pixels
    found.append(
        Judgement("Size", f"{size:.0f} px a patch", Verdict.GOOD)
        if size >= _SMALLEST_PATCH
        else Judgement(
            "Size",
            f"{size:.0f} px a patch",
            Verdict.REFUSE,
            advice="Shoot the chart larger: at least 10 pixels a patch.",
        )
    )

    clipped = tuple(p.id for p in reading.patches if p.clipped > _CLIPPED_SHARE)
    if clipped:
        found.append(
            Judgement(
                "Clipping",
                f"{_listed(clipped)} clipped",
                Verdict.REFUSE,
                clipped,
                "Shoot the chart again with less exposure: clipped patches have lost their colour.",
            )
        )
    else:
        found.append(Judgement("Clipping", f"brightest at {100 * float(reading.rgb().max()):.0f} %", Verdict.GOOD))

    buried = tuple(p.id for p in reading.patches if p.buried > _BURIED_SHARE)
    worst = max(reading.patches, key=lambda p: p.spread)
    if buried:
        found.append(
            Judgement(
                "Noise",
                f"{_listed(buried)} buried in black",
                Verdict.REFUSE,
                buried,
                "Shoot the chart again with more exposure.",
            )
        )
    elif worst.spread > 0.35:
        found.append(
            Judgement(
                "Noise",
                f"{worst.id} uneven by {100 * worst.spread:.0f} %",
                Verdict.NOTE,
                (worst.id,),
                "Look for dirt, glare or noise on it.",
            )
        )
    else:
        found.append(Judgement("Noise", f"within {100 * worst.spread:.0f} % on {worst.id}", Verdict.GOOD))

    fall = light_fall(reading, chart)
    light_text = f"falls {100 * fall:.0f} % across"
    if fall <= 0.06:
        found.append(Judgement("Light", light_text, Verdict.GOOD))
    else:
        found.append(
            Judgement(
                "Light",
                light_text,
                Verdict.NOTE,
                advice="Turn the chart until the light on it is even, and shoot again.",
            )
        )

    error = colour_error(reading.rgb(), expected_camera_rgb(chart))
    if error <= 0.5:
        found.append(Judgement("Order", "as on the chart", Verdict.GOOD))
    else:
        found.append(
            Judgement(
                "Order",
                "colours are not this chart's",
                Verdict.REFUSE,
                advice="Another chart, or turned: turn the grid until its first patch lies on the chart's first patch.",
            )
        )
    return tuple(found)


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
