"""`make accuracy`: measures how good the colours are and writes docs/accuracy.md. Every number there comes from here."""

from __future__ import annotations

import csv
import io
import tempfile
from collections.abc import Callable
from dataclasses import replace
from datetime import datetime
from fractions import Fraction
from functools import partial
from pathlib import Path

import colour.quality.datasets
import numpy as np
from numpy.typing import NDArray
from progress import tell, told
from scipy.interpolate import RegularGridInterpolator

from velkin.core.cameraprofiles.applying import apply_colours
from velkin.core.cameraprofiles.candidates import STIFFNESS
from velkin.core.cameraprofiles.cube import cube_text
from velkin.core.cameraprofiles.dng_export import dng_profile
from velkin.core.cameraprofiles.dng_file import dng_from_bytes, dng_to_bytes
from velkin.core.cameraprofiles.fit import FitRequest, Fitted, fit
from velkin.core.cameraprofiles.icc_export import icc_profile
from velkin.core.cameraprofiles.icc_input import icc_from_bytes
from velkin.core.cameraprofiles.linear_fit import least_squares, refine
from velkin.core.cameraprofiles.matrices import ColourMatrices, built_in
from velkin.core.cameraprofiles.models import NAMES, WORDS, Table, as_rows
from velkin.core.cameraprofiles.profile import CameraProfile
from velkin.core.cameraprofiles.smoothness import smoothness
from velkin.core.cameraprofiles.table_fit import as_table, fit_fields
from velkin.core.charts.built_in import iso24
from velkin.core.charts.greys import from_greys
from velkin.core.charts.judge import refuse_unusable
from velkin.core.charts.reading_job import read_chart
from velkin.core.conversion.codes import codes_of_light
from velkin.core.conversion.effect import intent_name
from velkin.core.destinations.destination import FileFormat
from velkin.core.destinations.sizing import long_edge
from velkin.core.destinations.starters import STARTERS
from velkin.core.fields import fit_field
from velkin.core.files.dng_colour import DNGColour
from velkin.core.files.kinds import SUFFIXES
from velkin.core.files.raw import decode, levels, read_facts
from velkin.core.gamut.masks import Window
from velkin.core.gamut.solid import solid_of
from velkin.core.handoff.write import hand_off_frame
from velkin.core.icc.space import plain_ink, space_of
from velkin.core.icc.transform import Intent, to_lab
from velkin.core.icc.write import matrix_profile
from velkin.core.match.aligned import pairs_of_aligned
from velkin.core.match.solver import learn
from velkin.core.path import path_of
from velkin.core.render import to_working
from velkin.core.sources import Levels
from velkin.core.spaces.difference import ciede2000
from velkin.core.spaces.lab import lab_to_xyz, xyz_to_lab
from velkin.core.spaces.rgb import BUILT_IN, P3, ROMM, SRGB
from velkin.core.spaces.volume import lab_volume
from velkin.core.spectra import WAVELENGTHS, Illuminant, parse_light
from velkin.core.stages.camera import built_in_stage
from velkin.sim import arrangements
from velkin.sim.arrangements import tilted_corners
from velkin.sim.camera import Camera, field_two, pocket_three
from velkin.sim.conversion_trials import INTENTS, SOURCES, between_all, from_press, into_press, there_and_back
from velkin.sim.day_trials import day_trial
from velkin.sim.demo import demo_folder, prepare_demo
from velkin.sim.dng import Shot, write_dng
from velkin.sim.easing_trials import sweep, trials
from velkin.sim.fit_trials import (
    Unseen,
    best_of_class,
    chart_rgb,
    plain_least_squares,
    reading_of,
    through,
    unseen,
    unseen_reflectances,
)
from velkin.sim.lights import StudioLight, cool_led, north_window, warm_led, weaving_lamp
from velkin.sim.match_trials import camera_trials, export_errors, plate_of, treatment_trials, two_cameras
from velkin.sim.press import press_profile
from velkin.sim.print_room import press_space
from velkin.sim.scenes import Pixels, Scene
from velkin.sim.sittings import COPYING
from velkin.sim.support_trials import CLEARLY, SupportTrial, support_trials
from velkin.sim.treatments import treated

Floats = NDArray[np.float64]

OUT = Path(__file__).parent.parent / "docs" / "accuracy.md"
CHART = iso24()
CAMERAS = (Camera(), field_two(), pocket_three())
#: Of the light over the whole picture, so that a quarter is lost across the chart.
FALL = 0.42
LIGHTS = (north_window(), weaving_lamp(), warm_led(), cool_led())


def _request(camera: Camera, light: StudioLight, rgb: Floats | None = None, known: bool = True) -> FitRequest:
    """What is to be fitted; `known`: whether the light's spectrum is, or only what the greys show."""
    matrices = ColourMatrices.of(DNGColour(camera.built_in_matrices(), (17, 21)))
    numbers = chart_rgb(camera, light.power, CHART) if rgb is None else rgb
    spectrum = Illuminant(light.name, light.power) if known else None
    return FitRequest(reading_of(CHART, numbers), CHART, camera.model, matrices, spectrum)


def _test_samples() -> Floats:
    """The 14 test colour samples of CIE 13.3, (14, 81), from colour-science."""
    samples = colour.quality.datasets.SDS_TCS["CIE 1995"].values()
    return np.array([np.interp(WAVELENGTHS, s.wavelengths, s.values) for s in samples])


def _best_table(colours: Unseen) -> float:
    """What the table reaches when it is fitted to the colours themselves, as stiff and as weighty as on a chart."""
    weights = np.full((1, len(colours.rgb)), 48.0 / len(colours.rgb))
    terms = colours.rgb[None]
    matrix = refine(
        terms, colours.truth, weights, start=least_squares(terms, colours.truth, weights), hold=np.zeros((2, 2)), steps=12
    )[0]
    romm = colours.rgb @ (ROMM.from_xyz @ matrix).T
    fields = fit_fields(romm[None], colours.truth, weights, stiffness=24.0 * STIFFNESS)[0]
    return colours.error(Table(as_rows(matrix), as_table(fields)).xyz(colours.rgb))


def _row(*cells: object) -> str:
    return "| " + " | ".join(f"{c:.2f}" if isinstance(c, float) else str(c) for c in cells) + " |"


@told("fits of all cameras and lights")
def _clean(known: Callable[[Camera, StudioLight], Fitted]) -> tuple[list[str], list[str]]:
    """Rows for each camera and light: on the chart, and on unseen colours beside the class's best and least squares."""
    chart_rows, unseen_rows = [], []
    samples = _test_samples()
    for camera in CAMERAS:
        for light in LIGHTS:
            fitted = known(camera, light)
            figures = [fitted.of(m).figures for m in NAMES]
            chart_rows.append(
                _row(camera.model, light.name, figures[0].before, *(v for f in figures for v in (f.mean, f.worst, f.leave_one_out)),
                     WORDS[fitted.recommended])
            )  # fmt: skip
            colours = unseen(camera, light.power, unseen_reflectances())
            tests = unseen(camera, light.power, samples)
            rgb = chart_rgb(camera, light.power, CHART)
            balanced = rgb * from_greys(reading_of(CHART, rgb), CHART)
            reference = CHART.reference(Illuminant("", light.power))
            neutrals = CHART.neutral_rows()
            balanced *= reference[neutrals, 1].sum() / balanced[neutrals, 1].sum()
            cells: list[float] = []
            for model in NAMES:
                ours = fitted.of(model).fits[0].model
                error = colours.error(ours.xyz(colours.rgb))
                best = _best_table(colours) if model == "table" else best_of_class(colours, model)
                cells += [error, best, error / best, tests.error(ours.xyz(tests.rgb))]
                if model != "table":
                    plain = plain_least_squares(balanced, reference, model)
                    cells.append(colours.error(through(plain, colours.rgb, model)))
            unseen_rows.append(_row(camera.model, light.name, *cells))
    return chart_rows, unseen_rows


@told("spoilt chart frames")
def _hard_rows() -> list[str]:
    """Chart frames as raw files with 1 % noise, 20° tilt and 25 % fall-off of light, read, evened and fitted."""
    rows = []
    with tempfile.TemporaryDirectory() as folder:
        for camera in CAMERAS:
            for light in LIGHTS:
                means = []
                for hard in (False, True):
                    path = Path(folder) / "chart.dng"
                    scene = Scene(camera, light.power, 1800, 1200, seed=4, level=0.5)
                    if hard:
                        scene.light_falls(FALL, 0.0)
                    scene.paper(0.4)
                    corners = tilted_corners((900, 600), 1000, CHART.aspect, 4, 20 if hard else 0, 0)
                    scene.chart(CHART, corners)
                    rng = np.random.default_rng(8)
                    if hard:
                        scene.rgb *= 1.0 + 0.01 * rng.standard_normal(scene.rgb.shape, dtype=np.float32)
                    neutral = camera.neutral(light.power)
                    shot = Shot(datetime(2026, 5, 4), Fraction(1, 60), 8.0, 100, neutral / neutral[1])
                    write_dng(path, camera.sensor.expose(scene.rgb, rng), camera, shot)
                    kept = read_chart(path, CHART)
                    refuse_unusable(kept.judgements)
                    reading = kept.even_light(kept.is_uneven).for_fit()
                    fitted = fit(replace(_request(camera, light), reading=reading))
                    means.append([fitted.of(m).figures.mean for m in NAMES])
                cells = [v for clean, spoilt in zip(*means, strict=True) for v in (clean, spoilt, spoilt / clean)]
                rows.append(_row(camera.model, light.name, *cells))
    return rows


@told("two lights in one profile")
def _between_rows() -> list[str]:
    """A profile for 2900 K and 6500 K at temperatures between."""
    rows = []
    for camera in CAMERAS:
        ends = [StudioLight(k, parse_light(k).power) for k in ("2900", "6500")]
        both = fit(_request(camera, ends[0]), _request(camera, ends[1]))
        for kelvin in ("3400", "4200", "5400"):
            power = parse_light(kelvin).power
            neutral = camera.neutral(power)
            colours = unseen(camera, power, unseen_reflectances())
            cells: list[object] = []
            for model in ("matrix", "rootpoly"):
                error = colours.error(both.of(model).colours(neutral[1] / neutral).xyz(colours.rgb))
                best = best_of_class(colours, model)
                cells += [error, best, error / best]
            rows.append(_row(camera.model, f"{kelvin} K", *cells))
    return rows


@told("profiles as files")
def _export_rows(known: Callable[[Camera, StudioLight], Fitted]) -> list[str]:
    """Exported files against the native model, on chart and unseen colours: largest over cameras and lights."""
    assert CHART.reflectances is not None
    surfaces = np.vstack([CHART.reflectances, unseen_reflectances()])
    rows = []
    for model in NAMES:
        worst: dict[str, list[float]] = {}
        for camera in CAMERAS:
            for light in LIGHTS:
                profile = known(camera, light).of(model)
                rgb = 0.9 * unseen(camera, light.power, surfaces).rgb
                for kind, xyz in _through_files(profile, rgb).items():
                    errors = ciede2000(xyz_to_lab(xyz), xyz_to_lab(profile.colours(np.array(profile.balance)).xyz(rgb)))
                    old = worst.get(kind, [0.0, 0.0])
                    worst[kind] = [max(old[0], float(errors.mean())), max(old[1], float(errors.max()))]
        rows += [f"| {WORDS[model]} | {kind} | {mean:.3f} | {top:.2f} |" for kind, (mean, top) in worst.items()]
    return rows


def _through_files(profile: CameraProfile, rgb: Floats) -> dict[str, Floats]:
    balance = np.array(profile.balance)
    dng = dng_from_bytes(dng_to_bytes(dng_profile(profile))).colours(balance)
    out = {
        "DNG profile": dng.xyz(rgb),
        "DNG profile, compiled loop": apply_colours(rgb.astype(np.float32), dng, np.eye(3)).astype(float),
    }
    for version in (4, 2):
        out[f"ICC profile, version {version}"] = (
            icc_from_bytes(icc_profile(profile, "linear", version)).colours(balance).xyz(rgb)
        )
    for size in (65, 33):
        rows = [r for r in csv.reader(io.StringIO(cube_text(profile, ROMM, size)), delimiter=" ") if r[0][0].isdigit()]
        axis = np.linspace(0.0, 1.0, size)
        table = RegularGridInterpolator((axis,) * 3, np.array(rows, dtype=float).reshape(size, size, size, 3))
        out[f".cube, {size} steps"] = ROMM.decode(table(SRGB.encode(rgb)[:, ::-1])) @ ROMM.to_xyz.T
    out["as Velkin renders it"] = apply_colours(rgb.astype(np.float32), profile.colours(balance), np.eye(3)).astype(float)
    return out


@told("the demo's chart frames")
def _demo_rows(frames: Path) -> list[str]:
    rows = []
    for name in ("north-0401", "lamp-0501"):
        path = frames / f"{name}.dng"
        facts = read_facts(path)
        fitted = fit(FitRequest(read_chart(path, CHART).reading, CHART, facts.unique, built_in(facts)))
        for model in NAMES:
            f = fitted.of(model).figures
            mark = ", recommended" if model == fitted.recommended else ""
            rows.append(_row(name, WORDS[model] + mark, f.before, f.mean, f.p95, f.worst, f.leave_one_out, f.neutral))
    return rows


@told("smoothness")
def _smooth_rows(known: Callable[[Camera, StudioLight], Fitted]) -> list[str]:
    rows = []
    for model in NAMES:
        found = [smoothness(known(c, k).of(model).fits[0].model) for c in CAMERAS for k in LIGHTS]
        rows.append(_row(WORDS[model], max(s.folded for s in found), max(s.gain for s in found)))
    return rows


@told("light not known")
def _unknown_rows() -> list[str]:
    """What it costs when the light is known only by what the greys show."""
    rows = []
    for camera in CAMERAS:
        cells: list[object] = []
        for light in LIGHTS:
            fitted = [fit(_request(camera, light, known=known)).of("auto") for known in (True, False)]
            colours = unseen(camera, light.power, unseen_reflectances())
            cells += [colours.error(p.fits[0].model.xyz(colours.rgb)) for p in fitted]
        rows.append(_row(camera.model, *cells))
    return rows


@told("spaces")
def _space_rows() -> list[str]:
    rng = np.random.default_rng(4)
    linear = rng.random((256, 256, 3))
    rows = []
    for space in BUILT_IN.values():
        exact = space.encode(linear)
        in_16 = float(np.abs(codes_of_light(linear.astype(np.float32), space, 16) - exact * 65535).max())
        in_8 = float(np.abs(codes_of_light(linear.astype(np.float32), space, 8, dither=True) - exact * 255).max())
        device = rng.random((4000, 3))
        meant = xyz_to_lab(space.decode(device) @ space.to_xyz.T)
        profile = [float(ciede2000(to_lab(device, matrix_profile(space, v), "rgb"), meant).max()) for v in (4, 2)]
        rows.append(f"| {space.name} | {in_16:.2f} | {in_8:.2f} | {profile[0]:.4f} | {profile[1]:.4f} |")
    return rows


@told("conversions")
def _conversion_rows() -> list[str]:
    """Conversions against float64 and against LittleCMS without optimisation."""
    p = between_all()
    rows = [
        _row(f"{p.pairs} pairs of built-in spaces, float", "float64", f"largest {p.float_error:.5f} ΔE00", "0.02"),
        _row("the same, 8 bits", "float64", f"largest {p.codes_8:.0f} code", "1"),
        _row("the same, 16 bits", "float64", f"largest {p.codes_16:.0f} code, {p.light_16:.1e} as light", "2, or 8e-5"),
        _row("ROMM RGB → BT.2020 → ROMM RGB, 16 bits", "itself", f"largest {there_and_back():.0f} codes", "2"),
    ]
    for source in SOURCES:
        for intent in INTENTS:
            mean, worst = into_press(source, intent)
            name = f"{source.name} → press, {intent_name(intent)}"
            rows.append(_row(name, "LittleCMS", f"mean {mean:.4f}, largest {worst:.2f} ΔE00", "0.05, 0.5"))
    for intent, black_point in ((Intent.RELATIVE, True), (Intent.PERCEPTUAL, False), (Intent.ABSOLUTE, False)):
        mean, worst = from_press(intent, black_point)
        words = ", black point compensation" if black_point else ""
        name = f"press → ROMM RGB, {intent_name(intent)}{words}"
        rows.append(_row(name, "LittleCMS", f"mean {mean:.4f}, largest {worst:.2f} ΔE00", "0.05, 0.5"))
    return rows


def _lines(rows: list[str]) -> str:
    return "\n".join(rows)


@told("easing")
def _easing_rows() -> list[str]:
    press = space_of(press_profile(4))
    pictures = {"sweep": sweep()}
    for name in ("north-0412", "north-0414", "lamp-0505"):
        file = demo_folder() / "frames" / f"{name}.dng"
        pictures[name] = to_working(decode(file), path_of(built_in_stage(read_facts(file)), ROMM, SRGB))
    rows = []
    for name, picture in pictures.items():
        for destination in (SRGB, P3, press):
            before, ways = trials(picture, ROMM, destination)
            for number, t in enumerate(ways):
                head = f"| {name} | {destination.name} | {100 * before:.1f} % " if number == 0 else "| | | "
                rows.append(f"{head}| {t.way} | {100 * t.after:.3f} % | {t.change:.2f} | {t.inside:.2f} | {t.hue:.2f}° |")
    return rows


@told("gamut volumes")
def _volume_rows() -> list[str]:
    rng = np.random.default_rng(3)
    low, high = np.array([0.0, -135.0, -140.0]), np.array([100.0, 140.0, 160.0])
    xyz = lab_to_xyz(low + rng.random((1_000_000, 3)) * (high - low))
    rows = []
    for space in list(BUILT_IN.values())[:6]:
        found = solid_of(space)
        linear = xyz @ space.from_xyz.T
        share = ((linear >= 0) & (linear <= 1)).all(axis=1).mean() * np.prod(high - low)
        points = f"{100 * (found.volume / share - 1):+.2f} %" if found.radius.max() < 150 else "reaches too far"
        rows.append(
            f"| {space.name} | {found.volume / 1e6:.3f} | {100 * (found.volume / lab_volume(space) - 1):+.2f} % | {points} |"
        )
    ink = solid_of(plain_ink())
    rows.append(f"| plain ink | {ink.volume / 1e6:.3f} | {100 * (ink.volume / lab_volume(SRGB) - 1):+.2f} % (of sRGB) | |")
    return rows


#: What is handed off for the report: format, bits, quality.
_FILES = (("tiff", 16, 0), ("png", 8, 0), ("jpeg", 8, 92), ("jpeg", 8, 75), ("webp", 8, 92), ("avif", 8, 92), ("jxl", 8, 92))


@told("hand-off")
def _handoff_rows(frames: Path) -> list[str]:
    """Demo frames handed off in every format, read back: compression, and the file against the proof."""
    rows = []
    press = press_space()
    sources = {
        n: (partial(Levels, levels(frames / f"{n}.dng")), built_in_stage(read_facts(frames / f"{n}.dng")))
        for n in ("north-0412", "lamp-0508")
    }
    with tempfile.TemporaryDirectory() as folder:
        for kind, bits, quality in _FILES:
            for space in (SRGB, ROMM, press):
                if space.model == "cmyk" and kind not in ("tiff", "jpeg"):
                    continue
                d = replace(STARTERS["web"], file=FileFormat(kind, bits, quality=quality or 92), size=long_edge(1200))
                found = []
                for name, (kept, stage) in sources.items():
                    path = path_of(stage, ROMM, space)
                    out = Path(folder) / f"{name}-{kind}-{bits}-{quality}-{space.id}{SUFFIXES[kind]}"
                    written = hand_off_frame(frames / f"{name}.dng", kept, path, d, out)
                    assert written.check.ok, written.check.reason()
                    found.append({i.about: i.value for i in written.check.items})
                lost = max((v for f in found if (v := f.get("Compression")) is not None), default=None)
                quality_words = f", quality {quality}" if quality else ""
                off = max(v for f in found if (v := f["Colours"]) is not None)
                rows.append(
                    _row(
                        f"{kind.upper()} {bits}-bit{quality_words}",
                        space.name,
                        "none" if lost is None else f"{lost:.2f}",
                        f"{off:.2f}",
                    )
                )
    return rows


@told("matches")
def _match_rows(frames: Path) -> tuple[list[str], list[str], list[str]]:
    """Cameras brought to each other, treatments learnt, and matches as files."""
    cameras = [
        _row(f"{t.first} like {t.second}", t.light, t.before, t.mean, t.p95, t.best, t.mean / t.best) for t in camera_trials()
    ]
    plate = plate_of(frames / "north-0412.dng")
    treatments = [
        f"| {t.treatment} | {'2 px and 1 % off, noisy, JPEG 80' if t.spoilt else 'as it is'} | {t.pairs} | {t.before:.2f} | {t.mean:.2f} | {t.p95:.2f} |"
        for t in treatment_trials(plate)
    ]
    written = []
    chart = two_cameras(Camera(), field_two(), LIGHTS[0].power).pairs
    for what, pairs in (("camera to camera", chart), ("treatment", pairs_of_aligned(plate, treated(plate, "turned")).pairs)):
        for name, (mean, largest) in export_errors(learn(pairs).match).items():
            written.append(f"| {what} | {name} | {mean:.3f} | {largest:.2f} |")
    return cameras, treatments, written


@told("a day followed in time")
def _day_rows() -> list[str]:
    """A simulated day, frame by frame."""
    rows = []
    for camera in CAMERAS[:2]:
        for model in NAMES:
            t = day_trial(model=model, camera=camera)
            rows.append(
                _row(
                    camera.model,
                    WORDS[model],
                    t.frames,
                    t.own,
                    t.in_time,
                    t.in_time / t.own,
                    t.worst_ratio,
                    t.fitted_in_time,
                    t.one_for_all,
                )
            )
    return rows


@told("what a chart vouches for")
def _support_rows() -> list[str]:
    """By camera and chart, both lights together; and all."""
    trials = list(support_trials())
    groups = [
        [t for t in trials if (t.camera, t.patches) == key] for key in dict.fromkeys((t.camera, t.patches) for t in trials)
    ]
    rows = [_support_row(group[0].camera, str(group[0].patches), group) for group in groups]
    return [*rows, _support_row("all", "", trials)]


def _support_row(camera: str, patches: str, trials: list[SupportTrial]) -> str:
    beyond, found, within, false = (sum(getattr(t, n) for t in trials) for n in ("beyond", "found", "within", "false"))
    return f"| {camera} | {patches} | {found} of {beyond} | {100 * found / beyond:.1f} % | {false} of {within} | {100 * false / within:.1f} % |"


@told("even fields")
def _field_rows() -> list[str]:
    """Boards on the demo's copying table, evened by its flat frame: as it was shot, darker, and by half."""
    flat, rows = fit_field(_board(1, 1.0)), []
    for words, level, strength in (
        ("a second board", 1.0, 1.0),
        ("a darker board", 0.4, 1.0),
        ("a second board, by half", 1.0, 0.5),
    ):
        second = _board(2, level)
        height, width = second.shape[:2]
        before = fit_field(second).falloff
        after = fit_field(second * flat.gains(Window(width, height), height, width, strength)).falloff
        rows.append(
            f"| {words} | " + " | ".join(f"{100 * v:.1f} %" for pair in zip(before, after, strict=True) for v in pair) + " |"
        )
    return rows


def _board(seed: int, level: float) -> Pixels:
    """A half-size decode of a white board on the copying table."""
    frame = next(f for f in COPYING.frames if f.draw is arrangements.board)
    camera = Camera(sensor=replace(Camera().sensor, vignetting=COPYING.vignetting))
    scene = Scene(camera, COPYING.light().power, *COPYING.size, seed, COPYING.level * level)
    scene.light_falls(*frame.falls)
    frame.draw(scene)
    mosaic = camera.sensor.expose(scene.rgb, np.random.default_rng(seed)).astype(np.float32)
    red, green, blue = mosaic[::2, ::2], (mosaic[::2, 1::2] + mosaic[1::2, ::2]) / 2, mosaic[1::2, 1::2]
    black, white = camera.sensor.black, camera.sensor.white
    return np.asarray((np.stack([red, green, blue], axis=-1) - black) / (white - black), dtype=np.float32)


def main() -> None:
    """Measure and write."""
    prepare_demo(progress=lambda done, total: tell(f"making the demo: {done} of {total}"))
    kept: dict[tuple[str, str], Fitted] = {}

    def known(camera: Camera, light: StudioLight) -> Fitted:
        key = (camera.model, light.name)
        if key not in kept:
            kept[key] = fit(_request(camera, light))
        return kept[key]

    chart_rows, unseen_rows = _clean(known)
    between_cameras, treatments, matches_written = _match_rows(demo_folder() / "frames")
    text = f"""# Accuracy

Written by `make accuracy` (tools/accuracy.py) from simulated cameras, lights and charts; no number here was typed. All
differences are CIEDE2000. The chart is the ISO 17321-1 one of 24 patches.

## Camera profiles on the chart they were fitted on

Noise-free readings, light's spectrum known. For each model: mean, worst, and leave-one-out (the mean over patches that a fit made
without them predicted). Goals in daylight (North window): mean 1.1 for the matrix, 0.75 for the root-polynomial, 0.5 for the table.

| camera | light | built-in | matrix mean | worst | left out | root-polynomial mean | worst | left out | table mean | worst | left out | recommended |
|---|---|---|---|---|---|---|---|---|---|---|---|---|
{_lines(chart_rows)}

## The same profiles on colours that no fit saw

500 dye and paint mixtures of the simulator, and the 14 test samples of CIE 13.3 (from colour-science). "Best" is the best found for
any white-preserving map of that class, exposure free, fitted to the 500 colours themselves; for the table, which could meet any
colours if it were free enough, it is the same table fitted to them. "Plain" is least squares in XYZ on the chart. Goal: within 1.2 of
the best.

| camera | light | matrix | best | ratio | CIE 13.3 | plain | root-polynomial | best | ratio | CIE 13.3 | plain | table | best | ratio | CIE 13.3 |
|---|---|---|---|---|---|---|---|---|---|---|---|---|---|---|---|
{_lines(unseen_rows)}

## Noise, tilt and fall-off

Chart frames as raw files, found, read, evened where the reading calls for it, and fitted: without and with 1 % noise a pixel, 20° tilt
and light that falls off by 25 % across. Chart means and their ratio; goal 1.5.

| camera | light | matrix | spoilt | ratio | root-polynomial | spoilt | ratio | table | spoilt | ratio |
|---|---|---|---|---|---|---|---|---|---|---|
{_lines(_hard_rows())}

## Two lights in one profile

Fitted under 2900 K and 6500 K; on the 500 colours at lights between. Goal: within 1.3 of the class's best there.

| camera | light | matrix | best | ratio | root-polynomial | best | ratio |
|---|---|---|---|---|---|---|---|
{_lines(_between_rows())}

## A light that moves

A simulated day from 2700 K over 7500 K to shade (10500 K), a chart every 40 minutes, and a frame halfway between each two: mean error of the chart's colours in those frames, by a chart of their own, followed
in time by mixing the profiles of the charts, by one profile fitted for that time (`fit --at`), and all by the first chart. Goal: in time within 1.2 of its own.

| camera | model | frames | own chart | in time | ratio | largest ratio of a frame | fitted for the time | one for all |
|---|---|---|---|---|---|---|---|---|
{_lines(_day_rows())}

## Support

Of 500 dye and paint mixtures and 14 test samples: those whose chromaticity lies clearly (by more than {CLEARLY} powers of two) beyond that of the chart's patches, to the standard observer, and are
told so from camera numbers; and those that lie within and are told so by mistake. Two lights; the chart of 24 patches, without its strongest row, and its natural colours and greys alone.
Goals: 90 % and 10 %.

| camera | patches | found | | by mistake | |
|---|---|---|---|---|---|
{_lines(_support_rows())}

## Flat frames

Fall-off of boards on the demo's copying table, with one panel at the side and a lens that darkens the corners, before and after evening by a flat frame. Goal: 1 % left of 40 %.

| board | red before | after | green before | after | blue before | after |
|---|---|---|---|---|---|---|
{_lines(_field_rows())}

## When the light's spectrum is not known

The recommended model on the 500 colours, with the light's spectrum given and with a stand-in for the temperature that the greys show.

| camera | {" | ".join(f"{k.name}, known | from the greys" for k in LIGHTS)} |
|---|{"---|" * (2 * len(LIGHTS))}
{_lines(_unknown_rows())}

## Profiles as files

Exported files against the native model on chart and unseen colours: the largest mean and the largest single difference over all
cameras and lights. Goals: mean 0.3, largest 1.0. ICC profiles are read through LittleCMS, unoptimised.

| model | file | mean | largest |
|---|---|---|---|
{_lines(_export_rows(known))}

## Smoothness

Over the camera's cube, also where no surface is: the share of it where the map folds or hues change their order, and the largest
local change as a multiple of that at neutral, over all cameras and lights.

| model | folded | largest change |
|---|---|---|
{_lines(_smooth_rows(known))}

## The demo's chart frames: noise, tilt, uneven light, light known by its temperature only

| frame | model | built-in mean | mean | 95 % | worst | left out | neutrals |
|---|---|---|---|---|---|---|---|
{_lines(_demo_rows(demo_folder() / "frames"))}

## Encoding and profiles of spaces

Largest differences: written codes against the exact float64 curve (8 bits with dither), and Velkin's ICC profiles as
LittleCMS reads them, unoptimised, against the space's definition.

| space | 16 bits, codes | 8 bits, codes | profile v4, ΔE00 | profile v2, ΔE00 |
|---|---|---|---|---|
{_lines(_space_rows())}

## Conversions

Codes and float pixels against the closed form in float64; tables for profiles against LittleCMS's floating-point answers, unoptimised.
The press is the stand-in's CMYK profile.

| conversion | against | error | goal |
|---|---|---|---|
{_lines(_conversion_rows())}

## Easing

A knee at full strength, beside plain clipping at the destination and taking chroma from everything until 99.9 % is in. The sweep is every
hue, chroma and lightness of Oklab that ROMM RGB holds; the frames are the demo's, through the camera's built-in profile. ΔE00; hue shift
in degrees of Oklab over what changed. Goals for easing: 0.01 % outside, 0.3 over what was inside, 2°. What is cut off at
the press still counts as outside where its profile's own tables do not come back to it.

| picture | destination | outside | way | outside after | ΔE all | ΔE inside | hue shift |
|---|---|---|---|---|---|---|---|
{_lines(_easing_rows())}

## Gamut volumes

In millions of cubic ΔE*76, against two other ways: the divergence theorem over the cube's faces, and random points in Lab (a million).
The last row is a CMYK profile whose inks take light away from sRGB and so fill it exactly.

| space | volume | faces | random points |
|---|---|---|---|
{_lines(_volume_rows())}

## Matches

One camera made to look like another by the 24-patch chart in both pictures: mean ΔE00 of 500 colours that the match never saw, before and
after, and the best that curves and a root-polynomial fitted to those very colours reach. Goal: within 1.2 of it.

| match | light | before | after | p95 | best | ratio |
|---|---|---|---|---|---|---|
{_lines(between_cameras)}

A treatment learnt from a picture of 2 MP before and after it, at the picture's own colours. Goals: mean 0.5, p95 1.5; spoilt 0.75 and 2.25.

| treatment | the picture after it | pairs | before | mean | p95 |
|---|---|---|---|---|---|
{_lines(treatments)}

Matches as files against the map itself, on colours of sRGB whose outcome sRGB holds; the profile is read by LittleCMS. Goals: mean 0.3, largest 1.0.

| match | file | mean | largest |
|---|---|---|---|
{_lines(matches_written)}

## Files that were handed off

Two demo frames (the larger figure), written at 1200 pixels and read back by another library, all figures ΔE00 of means over 8 × 8 blocks:
before and after compression, averaged over the picture (limit of the check 1.5; 3.0 in WebP and JPEG XL); and between the proof and what LittleCMS
makes of the numbers through the profile in the file, 99th percentile over blocks (limit 1.0).

| file | space | compression | against the proof |
|---|---|---|---|
{_lines(_handoff_rows(demo_folder() / "frames"))}
"""
    OUT.write_text(text)
    print(text)


if __name__ == "__main__":
    main()
