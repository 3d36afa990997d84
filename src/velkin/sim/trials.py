"""Chart frames with known faults, at random: what finding, reading and judging are measured on.

Every trial is a small frame (the size of a half-size decode) in which a chart lies at a known place under known conditions.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from velkin.core.charts.definition import Chart
from velkin.core.charts.refining import homography, project
from velkin.sim.arrangements import tilted_corners
from velkin.sim.camera import Camera, Sensor, studio_one_sensitivities
from velkin.sim.lights import north_window, weaving_lamp
from velkin.sim.scenes import Scene

Floats = NDArray[np.float64]
Pixels = NDArray[np.float32]

WIDTH, HEIGHT = 1500, 1000
#: Faults that a trial can have.
FAULTS = ("none", "glare", "shadow", "uneven", "clipped", "buried", "blurred", "small", "wrong chart", "turned")


@dataclass(frozen=True)
class Trial:
    """A simulated chart frame and the truth about it.

    Attributes
    ----------
    image : ndarray (H, W, 3), float32
        Linear camera RGB, as a half-size decode gives it.
    chart : Chart
        The chart that lies in it.
    corners : ndarray (4, 2) or None
        Where; None when there is no chart.
    fault : str
        One of `FAULTS`.
    patches : tuple of str
        The patches that the fault touches, where it touches some only.
    share : float
        Width of the chart against the frame's.
    tilt : float
        Degrees.
    """

    image: Pixels
    chart: Chart
    corners: Floats | None
    fault: str
    patches: tuple[str, ...]
    share: float
    tilt: float


def _place(rng: np.random.Generator, chart: Chart, share: float, tilt: float) -> Floats | None:
    """Random corners that lie on the frame, marks and border included; None when this size does not fit at this turn."""
    for _ in range(60):
        turn = rng.uniform(-180, 180) if share < 0.6 else rng.choice([0, 180]) + rng.uniform(-6, 6)
        axis = rng.uniform(0, 2 * np.pi)
        lean = tilt * np.array([np.cos(axis), np.sin(axis)])
        margin = 1.4 / chart.columns if chart.marks else 0.3 / chart.columns
        centre = (rng.uniform(0.12, 0.88) * WIDTH, rng.uniform(0.12, 0.88) * HEIGHT)
        if share > 0.6:
            centre = (WIDTH / 2, HEIGHT / 2)
        corners = tilted_corners(centre, share * WIDTH, chart.aspect, turn, lean[0], lean[1])
        wide = corners.mean(axis=0) + (corners - corners.mean(axis=0)) * (1 + 2 * margin)
        if wide.min() > 3 and wide[:, 0].max() < WIDTH - 3 and wide[:, 1].max() < HEIGHT - 3:
            return corners
    return None


def make_trial(seed: int, chart: Chart, fault: str = "none", share: float | None = None, tilt: float | None = None) -> Trial:
    """A trial from a seed; size (share of the frame's width) and tilt (degrees) are drawn when not given."""
    rng = np.random.default_rng(seed)
    camera = Camera(sensitivities=studio_one_sensitivities(float(rng.uniform(-6, 6))))
    light = north_window() if rng.random() < 0.5 else weaving_lamp()
    largest = 0.90 if chart.aspect > 1.45 else 0.72  # what stands on a 3:2 frame with its border
    corners = None
    shrink = 1.0
    while corners is None:
        chosen = share if share is not None else float(rng.uniform(0.08, largest))
        if fault == "small":
            chosen = float(rng.uniform(3.0, 4.4)) * chart.columns / WIDTH
        elif fault != "none" and share is None:
            chosen = max(chosen, 0.16)
        angle = tilt if tilt is not None else float(rng.uniform(0, 45 if fault == "none" else 25))
        corners = _place(rng, chart, min(chosen, largest) * shrink, angle)
        shrink *= 0.95  # what does not fit at any turn is shot from a little farther away
    level = float(rng.uniform(0.35, 0.75))
    if fault == "clipped":
        level = float(rng.uniform(1.25, 2.2))
    elif fault == "uneven":
        level = min(level, 0.55)
    elif fault == "buried":
        level = float(rng.uniform(0.006, 0.012))
    scene = Scene(camera, light.power, WIDTH, HEIGHT, seed, level)
    slope = float(rng.uniform(0.15, 0.45)) if fault == "uneven" else float(rng.uniform(0.0, 0.035))
    scene.light_falls(0.0, 0.0)
    ground = rng.random()
    if ground < 0.3:
        scene.shelf(seed, int(rng.integers(3, 7)), int(rng.integers(5, 12)), float(rng.uniform(0.05, 0.5)))
    elif ground < 0.6:
        scene.table()
    else:
        scene.paper(float(rng.uniform(0.2, 0.7)))
    width = float(np.linalg.norm(corners[1] - corners[0]))
    turn = rng.uniform(0, 2 * np.pi)
    _fall_over(scene, corners, slope, turn, width)
    scene.chart(chart, corners)
    pitch = width / chart.columns
    patches: tuple[str, ...] = ()
    centres = project(homography(corners), chart.centres())
    if fault == "glare":
        at = centres[int(rng.integers(len(centres)))] + rng.uniform(-0.4, 0.4, 2) * pitch
        radius, strength = float(rng.uniform(0.5, 1.1)) * pitch, float(rng.uniform(0.05, 0.2))
        scene.glare((at[0], at[1]), radius, strength)
        near = np.exp(-0.5 * (np.hypot(*(centres - at).T) / radius) ** 2) * strength
        patches = tuple(i for i, amount in zip(chart.ids, near, strict=True) if amount > 0.03)
    elif fault == "shadow":
        at = corners.mean(axis=0) + rng.uniform(-0.22, 0.22, 2) * width
        angle_deg, darkness = float(rng.uniform(0, 360)), float(rng.uniform(0.25, 0.6))
        scene.cast_shadow((at[0], at[1]), angle_deg, darkness, float(rng.uniform(0.03, 0.12)) * pitch)
        direction = np.array([np.cos(np.deg2rad(angle_deg)), np.sin(np.deg2rad(angle_deg))])
        patches = tuple(i for i, c in zip(chart.ids, centres, strict=True) if (c - at) @ direction > 0.5 * pitch)
    scene.defocus(float(rng.uniform(0.22, 0.4)) * pitch if fault == "blurred" else float(rng.uniform(0.4, 0.9)))
    sensor = Sensor(vignetting=0.0)
    image = sensor.half_size(scene.rgb, rng)
    return Trial(image, chart, corners, fault, patches, float(width / WIDTH), angle)


def _fall_over(scene: Scene, corners: Floats, slope: float, turn: float, width: float) -> None:
    """Light that falls off linearly by `slope` across the chart's width in a direction (radians), 1 at its middle."""
    y, x = np.mgrid[0 : scene.height, 0 : scene.width].astype(np.float32)
    middle = corners.mean(axis=0)
    along = ((x - middle[0]) * np.cos(turn) + (y - middle[1]) * np.sin(turn)) / width
    scene.lit = np.clip(1.0 - slope * along, 0.2, 2.0).astype(np.float32)


def empty_trial(seed: int, chart: Chart) -> Trial:
    """A frame without a chart, but full of things that look a little like one."""
    rng = np.random.default_rng(seed)
    camera, light = Camera(), north_window()
    scene = Scene(camera, light.power, WIDTH, HEIGHT, seed, float(rng.uniform(0.3, 0.8)))
    kind = seed % 3
    if kind == 0:  # a regular grid of the chart's own size in other colours
        scene.shelf(seed, chart.rows, chart.columns, 0.1)
    elif kind == 1:
        scene.shelf(seed, int(rng.integers(3, 12)), int(rng.integers(4, 16)), float(rng.uniform(0.02, 0.5)))
    else:
        scene.table()
        for k in range(4):
            place = rng.uniform(0.1, 0.9, 2)
            bath = str(rng.choice(["magenta", "teal", "ochre", "rust", "indigo", "moss"]))
            scene.skein(float(place[0]), float(place[1]), float(rng.uniform(-90, 90)), 0.7, 0.22, bath, seed + k)
    scene.defocus(float(rng.uniform(0.4, 0.9)))
    sensor = Sensor(vignetting=0.0)
    return Trial(sensor.half_size(scene.rgb, rng), chart, None, "none", (), 0.0, 0.0)
