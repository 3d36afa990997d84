"""`make accuracy`: measures how good the colours are and writes docs/accuracy.md. Every number there comes from here."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from velkin.core.cameraprofiles.matrices import built_in
from velkin.core.cameraprofiles.fit import FitRequest, fit, fit_matrix, least_squares_matrix, patch_errors
from velkin.core.charts.built_in import iso24
from velkin.core.charts.reading_job import read_chart
from velkin.core.files.raw import read_facts
from velkin.core.icc.transform import to_lab
from velkin.core.icc.write import matrix_profile
from velkin.core.render import encode_8bit, encode_16bit
from velkin.core.spaces.adaptation import D50, bradford
from velkin.core.spaces.difference import ciede2000
from velkin.core.spaces.lab import xyz_to_lab
from velkin.core.spaces.rgb import BUILT_IN
from velkin.core.spectra import Illuminant, xyz_of_surfaces
from velkin.sim.camera import Camera
from velkin.sim.demo import demo_folder, prepare_demo
from velkin.sim.dyes import smooth_reflectances
from velkin.sim.madderfold import light_of

OUT = Path(__file__).parent.parent / "docs" / "accuracy.md"
UNSEEN = 300


def _clean(power: NDArray[np.float64]) -> list[float]:
    """Mean and worst on a noise-free chart, leave-one-out, and means on unseen dyes: fitted, least squares, the class's best."""
    chart, camera, light = iso24(), Camera(), Illuminant("", power)
    neutrals = chart.neutral_rows()
    rgb = camera.respond(chart.reflectances, power) / camera.neutral(power)
    reference = chart.reference(light)
    matrix, left_out = fit_matrix(rgb, reference, neutrals)
    errors, _ = patch_errors(rgb, matrix, reference, neutrals)
    scale = reference[neutrals, 1].sum() / rgb[neutrals, 1].sum()
    unseen = smooth_reflectances(UNSEEN, seed=77)
    seen = camera.respond(unseen, power) / camera.neutral(power)
    truth = xyz_of_surfaces(unseen, power) @ bradford(light.white, D50).T
    best = _best(seen, truth)
    on_unseen = [
        float(ciede2000(xyz_to_lab(seen @ m.T), xyz_to_lab(truth)).mean())
        for m in (matrix, least_squares_matrix(rgb * scale, reference), best)
    ]
    return [float(errors.mean()), float(errors.max()), float(left_out.mean()), *on_unseen]


def _best(rgb: NDArray[np.float64], truth: NDArray[np.float64]) -> NDArray[np.float64]:
    """The white-preserving matrix with the lowest mean ΔE00 on the colours themselves, exposure free."""
    lab = xyz_to_lab(truth)
    values = np.append(least_squares_matrix(rgb, truth)[:, :2].ravel(), 1.0)

    def cost(v: NDArray[np.float64]) -> float:
        two = v[:6].reshape(3, 2)
        m = np.column_stack([two, D50 - two.sum(axis=1)]) * v[6]
        return float(ciede2000(xyz_to_lab(rgb @ m.T), lab).mean())

    rng, step, now = np.random.default_rng(1), 0.05, cost(values)
    for _ in range(6000):  # a plain random descent is enough for seven numbers
        tried = values + rng.normal(0, step, 7)
        price = cost(tried)
        if price < now:
            values, now = tried, price
            step = min(step * 1.3, 0.1)
        else:
            step = max(step * 0.985, 1e-5)
    two = values[:6].reshape(3, 2)
    return np.column_stack([two, D50 - two.sum(axis=1)]) * values[6]


def _demo_rows(frames: Path) -> list[str]:
    rows = []
    for name in ("north-0401", "lamp-0501"):
        path = frames / f"{name}.dng"
        facts = read_facts(path)
        request = FitRequest(read_chart(path, iso24()).reading, iso24(), facts.unique, built_in(facts))
        f = fit(request).figures
        rows.append(
            f"| {name} | {f.before:.2f} | {f.mean:.2f} | {f.p95:.2f} | {f.worst:.2f} | {f.leave_one_out:.2f} | {f.neutral:.2f} |"
        )
    return rows


def _space_rows() -> list[str]:
    rng = np.random.default_rng(4)
    linear = rng.random((256, 256, 3))
    rows = []
    for space in BUILT_IN.values():
        exact = space.encode(linear)
        in_16 = float(np.abs(encode_16bit(linear.astype(np.float32), space) - exact * 65535).max())
        in_8 = float(np.abs(encode_8bit(linear.astype(np.float32), space) - exact * 255).max())
        device = rng.random((4000, 3))
        meant = xyz_to_lab(space.decode(device) @ space.to_xyz.T)
        profile = [float(ciede2000(to_lab(device, matrix_profile(space, v), "rgb"), meant).max()) for v in (4, 2)]
        rows.append(f"| {space.name} | {in_16:.2f} | {in_8:.2f} | {profile[0]:.4f} | {profile[1]:.4f} |")
    return rows


def main() -> None:
    """Measure and write."""
    prepare_demo()
    clean = {n: _clean(light_of(n).power) for n in ("north", "lamp")}
    clean_rows = [
        "| " + " | ".join([light_of(n).name, *(f"{v:.2f}" for v in values), f"{values[3] / values[5]:.2f}"]) + " |"
        for n, values in clean.items()
    ]
    text = f"""# Accuracy

Written by `make accuracy` (tools/accuracy.py) from simulated cameras, lights and charts; no number here was typed. All
differences are CIEDE2000.

## Matrix profiles, noise-free, light's spectrum known

The chart is the ISO 17321-1 one; "unseen" are {UNSEEN} dye mixtures that no fit saw; "best" is the best that any white-preserving
matrix, exposure free, reaches on those colours themselves.

| light | chart mean | chart worst | leave-one-out | unseen, fitted | unseen, least squares | unseen, best | fitted / best |
|---|---|---|---|---|---|---|---|
{chr(10).join(clean_rows)}

## The demo's chart frames: noise, tilt, uneven light, light known by its temperature only

| frame | built-in mean | mean | 95 % | worst | leave-one-out | neutrals |
|---|---|---|---|---|---|---|
{chr(10).join(_demo_rows(demo_folder() / "frames"))}

## Encoding and profiles

Largest differences: written codes against the exact float64 curve (8 bits with dither), and Velkin's ICC profiles as
LittleCMS reads them, unoptimised, against the space's definition.

| space | 16 bits, codes | 8 bits, codes | profile v4, ΔE00 | profile v2, ΔE00 |
|---|---|---|---|---|
{chr(10).join(_space_rows())}
"""
    OUT.write_text(text)
    print(text)


if __name__ == "__main__":
    main()
