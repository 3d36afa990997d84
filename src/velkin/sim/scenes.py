"""What stands in front of the stand-in camera: wool skeins, woven cloth, a grey card and a chart, drawn procedurally.

Every material is a ramp of reflectances, integrated spectrally with the light and the camera before a pixel is drawn; the
drawing then only mixes and shades camera RGB. Geometry is drawn per object in its own bounding box.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from velkin.core.charts import marks
from velkin.core.charts.definition import Chart
from velkin.core.spectra import WAVELENGTHS
from velkin.sim.camera import Camera
from velkin.sim.dyes import BATHS, smooth_reflectances

Pixels = NDArray[np.float32]
Floats = NDArray[np.float64]

_TOWARDS_LIGHT = np.array([-0.52, -0.55, 0.65], dtype=np.float32)
_TOWARDS_LIGHT /= np.linalg.norm(_TOWARDS_LIGHT)
_RAMP = 48


def _noise(rng: np.random.Generator, shape: tuple[int, int], cell: float) -> Pixels:
    """Smooth noise of about unit variance with features of `cell` pixels."""
    height, width = shape
    grid = rng.standard_normal((int(height / cell) + 4, int(width / cell) + 4)).astype(np.float32)
    size = (int(grid.shape[1] * cell), int(grid.shape[0] * cell))
    return np.ascontiguousarray(cv2.resize(grid, size, interpolation=cv2.INTER_CUBIC)[:height, :width], dtype=np.float32)


class _Wave:
    """Smooth one-dimensional noise."""

    def __init__(self, rng: np.random.Generator) -> None:
        self._knots = rng.standard_normal(2048).astype(np.float32)

    def __call__(self, x: NDArray[np.floating]) -> Pixels:
        floor = np.floor(x)
        t = x - floor
        t *= t * (3 - 2 * t)
        index = floor.astype(np.int32) & (len(self._knots) - 1)
        here = np.take(self._knots, index)
        there = np.take(self._knots, (index + 1) & (len(self._knots) - 1))
        return np.asarray(here + (there - here) * t, dtype=np.float32)


def _normals(height: Pixels, slope: float) -> tuple[Pixels, Pixels, Pixels]:
    gy, gx = np.gradient(height)
    nx, ny = -gx * slope, -gy * slope
    length = np.sqrt(nx * nx + ny * ny + 1.0)
    return nx / length, ny / length, 1.0 / length


@dataclass
class Scene:
    """A picture being built in linear camera RGB (before balance), green of a lit white at `level`."""

    camera: Camera
    power: Floats
    width: int
    height: int
    seed: int
    level: float = 0.62

    def __post_init__(self) -> None:
        self.rng = np.random.default_rng(self.seed)
        self.k = self.width / 1360
        self.rgb: Pixels = np.zeros((self.height, self.width, 3), dtype=np.float32)
        self.lit: Pixels = np.ones((self.height, self.width), dtype=np.float32)

    # ---- light and ground -------------------------------------------------------------------------------------

    def light_falls(self, across: float, down: float) -> None:
        """Light that falls off linearly by the given shares from left to right and from top to bottom; 1 in the middle."""
        x = np.linspace(-0.5, 0.5, self.width, dtype=np.float32)[None, :]
        y = np.linspace(-0.5, 0.5, self.height, dtype=np.float32)[:, None]
        self.lit = (1.0 - across * x - down * y).astype(np.float32)

    def _colour(self, reflectances: Floats) -> Pixels:
        return (self.camera.respond(reflectances, self.power) * self.level).astype(np.float32)

    def paper(self, grey: float = 0.44) -> None:
        """A sheet of grey paper as ground."""
        texture = 1 + 0.010 * _noise(self.rng, self.lit.shape, 2) + 0.02 * _noise(self.rng, self.lit.shape, 90 * self.k + 4)
        spectrum = grey * (1.0 - 0.03 * np.exp(-(WAVELENGTHS - 380) / 60))
        self.rgb = (self.lit * texture)[..., None] * self._colour(spectrum[None])[0]

    def board(self, white: float) -> None:
        """An even white board as ground, spectrally flat, with a fine tooth."""
        tooth = 1 + 0.003 * _noise(self.rng, self.lit.shape, 2)
        self.rgb = (self.lit * tooth)[..., None] * self._colour(np.full((1, len(WAVELENGTHS)), white))[0]

    def table(self) -> None:
        """A wooden table as ground."""
        depth = np.linspace(0.2, 1.6, _RAMP)
        ramp = self._colour(0.62 * np.exp(-depth[:, None] * (0.35 + 1.2 * np.exp(-(WAVELENGTHS[None] - 380) / 130))))
        y = np.arange(self.height, dtype=np.float32)[:, None] / self.k
        x = np.arange(self.width, dtype=np.float32)[None, :] / self.k
        board = np.floor((y + 0.03 * x) / 190)
        grain = _noise(self.rng, (self.height, max(int(self.width / 24), 8)), 2.2 * self.k + 0.6)
        grain = cv2.resize(grain, (self.width, self.height), interpolation=cv2.INTER_CUBIC)
        seam = np.clip(np.abs(((y + 0.03 * x) / 190) % 1 - 0.004) / 0.012, 0, 1)
        tone = 0.45 + 0.12 * np.sin(board * 2.7) + 0.09 * grain + 0.06 * _noise(self.rng, self.lit.shape, 60 * self.k + 4)
        shade = (self.lit * (0.72 + 0.28 * seam)).astype(np.float32)
        self.rgb = self._pick(ramp, tone + 0.3 * (1 - seam)) * shade[..., None]

    @staticmethod
    def _pick(ramp: Pixels, position: Pixels) -> Pixels:
        fine = np.stack([np.interp(np.linspace(0, 1, 4096), np.linspace(0, 1, len(ramp)), c) for c in ramp.T], axis=1)
        index = np.clip(position * 4095.0 + 0.5, 0, 4095).astype(np.int32)
        return np.take(fine.astype(np.float32), index, axis=0)

    def _bath_ramp(self, bath: str, light: float, deep: float) -> Pixels:
        depth = np.exp(np.linspace(np.log(light), np.log(deep), _RAMP))
        return self._colour(BATHS[bath].reflectance(depth))

    # ---- compositing ------------------------------------------------------------------------------------------

    def _box(self, cx: float, cy: float, reach: float) -> tuple[slice, slice, Pixels, Pixels]:
        x0, x1 = (int(min(max(v, 0), self.width)) for v in (cx - reach, cx + reach))
        y0, y1 = (int(min(max(v, 0), self.height)) for v in (cy - reach, cy + reach))
        y, x = np.mgrid[y0:y1, x0:x1].astype(np.float32)
        return slice(y0, y1), slice(x0, x1), x, y

    def _shadow(
        self, rows: slice, columns: slice, mask: NDArray[np.bool_], dx: float, dy: float, blur: float, amount: float
    ) -> None:
        """Darkens what lies under a mask's shadow; the mask's box is small, the shadow is drawn a little beyond it."""
        pad = int(3 * blur * self.k) + int(max(dx, dy) * self.k) + 2
        y0, x0 = max(rows.start - pad, 0), max(columns.start - pad, 0)
        y1, x1 = min(rows.stop + pad, self.height), min(columns.stop + pad, self.width)
        wide = np.zeros((y1 - y0, x1 - x0), dtype=np.float32)
        wide[rows.start - y0 : rows.stop - y0, columns.start - x0 : columns.stop - x0] = mask
        small = cv2.resize(wide, None, fx=0.25, fy=0.25, interpolation=cv2.INTER_AREA)
        k = self.k * 0.25

        def cast(share: float) -> Pixels:
            move = np.array([[1, 0, dx * k * share], [0, 1, dy * k * share]], dtype=np.float32)
            moved = cv2.warpAffine(small, move, (small.shape[1], small.shape[0]))
            soft = cv2.GaussianBlur(moved, (0, 0), max(blur * k * share, 0.3))
            return np.asarray(
                cv2.resize(soft, (wide.shape[1], wide.shape[0]), interpolation=cv2.INTER_LINEAR), dtype=np.float32
            )

        self.rgb[y0:y1, x0:x1] *= ((1 - amount * cast(1.0)) * (1 - 0.45 * cast(0.35)))[..., None]

    def skein(
        self,
        cx: float,
        cy: float,
        angle: float,
        length: float,
        width: float,
        bath: str,
        seed: int,
        depth: tuple[float, float] = (0.5, 2.4),
    ) -> None:
        """A twisted skein of hand-dyed wool; place and size as shares of the frame (sizes of its height), angle in degrees."""
        k = self.k
        rng = np.random.default_rng(seed)
        length, width = length * self.height, width * self.height
        rows, columns, x, y = self._box(cx * self.width, cy * self.height, 0.5 * length + 0.3 * width)
        if x.size == 0:
            return
        turn = np.deg2rad(angle)
        dx, dy = x - cx * self.width, y - cy * self.height
        along = dx * np.float32(np.sin(turn)) + dy * np.float32(np.cos(turn))
        across = dx * np.float32(np.cos(turn)) - dy * np.float32(np.sin(turn))
        keep = np.abs(across) < 0.62 * width
        ys, xs = np.where(keep.any(axis=1))[0], np.where(keep.any(axis=0))[0]
        if len(ys) == 0:
            return
        cut = (slice(ys[0], ys[-1] + 1), slice(xs[0], xs[-1] + 1))
        rows, columns = (
            slice(rows.start + ys[0], rows.start + ys[-1] + 1),
            slice(columns.start + xs[0], columns.start + xs[-1] + 1),
        )
        along, across = along[cut], across[cut]
        across = across + 0.05 * width * np.sin(along / length * 4 + seed)
        t = along / (length / 2)
        t2 = np.minimum(t * t, 1)
        end = np.sqrt(1 - t2 * t2 * np.sqrt(t2))
        wobble = 1 + 0.03 * np.sin(along / length * 17 + seed * 2.1)
        half = width / 2
        radius = half * 0.60 * (0.35 + 0.65 * end) * wobble * cv2.pow(end, 0.15)
        swing = half * 0.46 * end * wobble
        phase = 2 * np.pi * 2.6 * 0.5 * t + seed * 1.7
        top = np.full(along.shape, -1e3, np.float32)
        strength = np.zeros_like(top)
        cavity = np.zeros_like(top)
        for bundle in (0, 1):
            p = phase + np.pi * bundle
            d = (across - swing * np.cos(p)) / np.maximum(radius, 1e-3)
            inside = (np.abs(d) < 1) & (np.abs(t) < 1)
            d = np.clip(d, -0.999, 0.999)
            theta = np.arcsin(d).astype(np.float32)
            lie, small, dye = _Wave(rng), _Wave(rng), _Wave(rng)
            q = theta * (15 / np.pi) + along / (half * 0.9) * 1.15 + 0.33 * lie(along / (34 * k) + bundle * 40)
            q += 0.25 * small(along / (15 * k) + theta * 2)
            yarn = np.floor(q).astype(np.int32)
            place = (q - yarn) * 2 - 1
            of_yarn = rng.standard_normal(400).astype(np.float32)[yarn % 400]
            bulge = np.sqrt(np.clip(1 - place * place, 0, 1))
            ply = np.sin(2 * np.pi * (along / (9.5 * k) + place * 0.55 + of_yarn * 3))
            fibre = radius * 0.135 * (bulge + 0.16 * ply * bulge) + radius * 0.025 * of_yarn
            z = swing * np.sin(p) * 0.9 + np.sqrt(1 - d * d) * radius + fibre * np.clip(1.2 - np.square(d * d * d), 0, 1)
            over = inside & (z > top)
            taken = 0.5 + 0.34 * dye(along / (105 * k) + of_yarn * 0.16 + yarn * 0.07) + 0.06 * of_yarn + 0.04 * ply
            top = np.where(over, z, top).astype(np.float32)
            strength = np.where(over, taken, strength).astype(np.float32)
            cavity = np.where(over, 1 - bulge, cavity).astype(np.float32)
        mask = top > -900
        if not mask.any():
            return
        self._shadow(rows, columns, mask, 14, 17, 16, 0.55)
        ground = np.where(mask, top, -half * 0.9).astype(np.float32)
        nx, ny, nz = _normals(cv2.GaussianBlur(ground, (0, 0), 0.9 * k + 0.2), 0.62)
        facing = nx * _TOWARDS_LIGHT[0] + ny * _TOWARDS_LIGHT[1] + nz * _TOWARDS_LIGHT[2]
        diffuse = np.clip((facing + 0.22) / 1.22, 0, None)
        quarter = cv2.resize(ground, None, fx=0.25, fy=0.25, interpolation=cv2.INTER_AREA)
        far = cv2.resize(cv2.GaussianBlur(quarter, (0, 0), 13 * k / 4), (ground.shape[1], ground.shape[0]))
        open_far = np.clip(1 + (ground - far) / (half * 0.42), 0.30, 1.12)
        open_near = np.clip(1 + (ground - cv2.GaussianBlur(ground, (0, 0), 3 * k)) / (half * 0.16), 0.45, 1.1)
        shade = (0.20 + 1.02 * diffuse) * open_far * open_near * (1 - 0.30 * cavity * cavity * cavity)
        # light that bounced between fibres was dyed more than once: shadows are deeper, not only darker
        colour = self._pick(self._bath_ramp(bath, *depth), strength + 0.25 * np.clip(1 - shade, 0, 1))
        lit = self.lit[rows, columns]
        halfway = _TOWARDS_LIGHT + np.array([0, 0, 1], dtype=np.float32)
        halfway /= np.linalg.norm(halfway)
        sheen = cv2.pow(np.clip(nx * halfway[0] + ny * halfway[1] + nz * halfway[2], 0, None), 18) * 0.018 * open_far
        white = self._colour(np.ones((1, len(WAVELENGTHS))))[0]
        colour = colour * (shade * lit * 1.05)[..., None] + sheen[..., None] * white * lit[..., None]
        soft = (cv2.GaussianBlur(mask.astype(np.float32), (0, 0), 1.0 * k + 0.3) * mask)[..., None]
        part = self.rgb[rows, columns]
        self.rgb[rows, columns] = part * (1 - soft) + colour * soft

    def cloth(
        self,
        cx: float,
        cy: float,
        angle: float,
        width: float,
        height: float,
        warp: tuple[str, ...],
        weft: tuple[str, ...],
        weave: str,
        seed: int,
        stripes: int = 12,
        thread: float = 7.5,
    ) -> None:
        """A woven sample: `warp` and `weft` name the dye baths of the stripes; sizes as shares of the frame's width."""
        k = self.k
        rng = np.random.default_rng(seed)
        width, height = width * self.width, height * self.width
        rows, columns, x, y = self._box(cx * self.width, cy * self.height, 0.55 * float(np.hypot(width, height)))
        if x.size == 0:
            return
        turn = np.deg2rad(angle)
        dx, dy = x - cx * self.width, y - cy * self.height
        across = dx * np.float32(np.cos(turn)) + dy * np.float32(np.sin(turn)) + 1.2 * k * _noise(rng, x.shape, 40 * k + 3)
        down = -dx * np.float32(np.sin(turn)) + dy * np.float32(np.cos(turn)) + 1.2 * k * _noise(rng, x.shape, 40 * k + 3)
        fray = 1.05 * k * _noise(rng, x.shape, 6 * k + 1.5)
        mask = (np.abs(across) < width / 2 + fray) & (np.abs(down) < height / 2 + fray)
        pitch = thread * k
        i, j = np.floor(across / pitch).astype(np.int32), np.floor(down / pitch).astype(np.int32)
        fx, fy = (across / pitch - i) * 2 - 1, (down / pitch - j) * 2 - 1
        if weave == "plain":
            warp_up = ((i + j) % 2) == 0
        elif weave == "twill":
            warp_up = ((i + j) % 4) < 2
        elif weave == "herringbone":
            warp_up = ((np.where((i // 8) % 2 == 0, i, -i) + j) % 4) < 2
        else:
            warp_up = (((i // 2) + (j // 2)) % 2) == 0
        over_warp = np.sqrt(np.clip(1 - (fx * 0.96) ** 2, 0, 1)) * (1 - 0.35 * fy**2)
        over_weft = np.sqrt(np.clip(1 - (fy * 0.96) ** 2, 0, 1)) * (1 - 0.35 * fx**2)
        relief = np.where(warp_up, over_warp, over_weft)
        of_thread = rng.standard_normal((2, 2000)).astype(np.float32)
        depth = 0.62 + 0.08 * np.where(warp_up, of_thread[0][i % 2000], of_thread[1][j % 2000])
        twist = np.where(
            warp_up,
            np.sin(2 * np.pi * (down / (3.6 * k) + fx * 0.6)),
            np.sin(2 * np.pi * (across / (3.6 * k) + fy * 0.6)),
        )
        self._shadow(rows, columns, mask, 9, 10, 10, 0.45)
        bumps = (relief * pitch * 0.55 + 2.5 * k * _noise(rng, x.shape, 70 * k + 4)).astype(np.float32)
        nx, ny, nz = _normals(cv2.GaussianBlur(bumps, (0, 0), 0.7 * k + 0.2), 0.8)
        facing = nx * _TOWARDS_LIGHT[0] + ny * _TOWARDS_LIGHT[1] + nz * _TOWARDS_LIGHT[2]
        shade = (0.22 + np.clip((facing + 0.25) / 1.25, 0, None)) * (0.62 + 0.38 * relief) * (1 + 0.07 * twist)
        position = depth + 0.3 * np.clip(1 - shade, 0, 1)
        colour = np.zeros((*x.shape, 3), dtype=np.float32)
        names = sorted(set(warp) | set(weft))
        bath_of_warp = np.array([names.index(n) for n in warp])[(i // stripes) % len(warp)]
        bath_of_weft = np.array([names.index(n) for n in weft])[(j // stripes) % len(weft)]
        bath = np.where(warp_up, bath_of_warp, bath_of_weft)
        for index, name in enumerate(names):
            here = bath == index
            colour[here] = self._pick(self._bath_ramp(name, 0.4, 1.8), position[here])
        colour *= (shade * self.lit[rows, columns] * 1.05)[..., None]
        soft = cv2.GaussianBlur(mask.astype(np.float32), (0, 0), 0.8 * k + 0.2)[..., None]
        self.rgb[rows, columns] = self.rgb[rows, columns] * (1 - soft) + colour * soft

    def felt(self, cx: float, cy: float, width: float, height: float, bath: str, seed: int, depth: float = 1.0) -> None:
        """A padded oval of dyed felt; place and size as shares of the frame (sizes of its height)."""
        k, rng = self.k, np.random.default_rng(seed)
        a, b = width * self.height / 2, height * self.height / 2
        rows, columns, x, y = self._box(cx * self.width, cy * self.height, 1.08 * max(a, b))
        if x.size == 0:
            return
        u, v = (x - cx * self.width) / a, (y - cy * self.height) / b
        round_off = 1.0 - u * u - v * v + 0.012 * _noise(rng, x.shape, 5 * k + 1.2)
        mask = round_off > 0.0
        self._shadow(rows, columns, mask, 12, 14, 14, 0.5)
        swell = (np.sqrt(np.clip(round_off, 0, 1)) * 0.55 * min(a, b)).astype(np.float32)
        nap = 0.9 * k * _noise(rng, x.shape, 2.5 * k + 0.6) + 1.6 * k * _noise(rng, x.shape, 14 * k + 2)
        nx, ny, nz = _normals(cv2.GaussianBlur(swell + nap, (0, 0), 0.9 * k + 0.2), 0.8)
        facing = nx * _TOWARDS_LIGHT[0] + ny * _TOWARDS_LIGHT[1] + nz * _TOWARDS_LIGHT[2]
        shade = 0.30 + np.clip((facing + 0.30) / 1.30, 0, None)
        taken = 0.5 + 0.05 * _noise(rng, x.shape, 30 * k + 3) + 0.25 * np.clip(1 - shade, 0, 1)
        colour = self._pick(self._bath_ramp(bath, 0.6 * depth, 1.8 * depth), taken)
        colour = colour * (shade * self.lit[rows, columns])[..., None]
        soft = cv2.GaussianBlur(mask.astype(np.float32), (0, 0), 0.9 * k + 0.3)[..., None]
        self.rgb[rows, columns] = self.rgb[rows, columns] * (1 - soft) + colour * soft

    # ---- flat things seen at an angle -------------------------------------------------------------------------

    def _sheet(self, corners: Floats, margin: float) -> tuple[slice, slice, NDArray[np.bool_], Pixels, Pixels, Pixels]:
        """Sheet coordinates (u, v in 0..1 between the corners) of every pixel near a flat rectangle seen in perspective.

        Returns box rows, box columns, who is on the sheet including its margin, u, v, and a soft edge 0..1.
        """
        unit = np.array([[0, 0], [1, 0], [1, 1], [0, 1]], dtype=np.float32)
        corners = np.asarray(corners, dtype=np.float32)
        into = cv2.getPerspectiveTransform(corners, unit)
        reach = float(np.abs(corners - corners.mean(axis=0)).max()) * (1 + 3 * margin)
        rows, columns, x, y = self._box(float(corners[:, 0].mean()), float(corners[:, 1].mean()), reach)
        x, y = x + 0.5, y + 0.5
        w = into[2, 0] * x + into[2, 1] * y + into[2, 2]
        u = ((into[0, 0] * x + into[0, 1] * y + into[0, 2]) / w).astype(np.float32)
        v = ((into[1, 0] * x + into[1, 1] * y + into[1, 2]) / w).astype(np.float32)
        scale_u = max(float(np.linalg.norm(corners[1] - corners[0])), 1.0)
        scale_v = max(float(np.linalg.norm(corners[3] - corners[0])), 1.0)
        edge = np.minimum(
            np.minimum(u + margin, 1 + margin - u) * scale_u,
            np.minimum(v + margin * scale_u / scale_v, 1 + margin * scale_u / scale_v - v) * scale_v,
        )
        soft = np.clip(edge + 0.5, 0, 1).astype(np.float32)
        return rows, columns, soft > 0, u, v, soft

    def card(self, corners: Floats, grey: float = 0.42) -> None:
        """A spectrally flat neutral card with its corners (4, 2) in pixels, clockwise."""
        rows, columns, mask, _, _, soft = self._sheet(corners, 0.0)
        self._shadow(rows, columns, mask, 5, 6, 6, 0.4)
        flat = self._colour(np.full((1, len(WAVELENGTHS)), grey))[0] * self.lit[rows, columns][..., None]
        flat = flat * (1 + 0.004 * _noise(self.rng, mask.shape, 3))[..., None]
        self.rgb[rows, columns] = self.rgb[rows, columns] * (1 - soft[..., None]) + flat * soft[..., None]

    def chart(
        self, chart: Chart, corners: Floats, gloss: tuple[str, float] | None = None, surfaces: Floats | None = None
    ) -> None:
        """A chart whose four corner patches have their outer corners at `corners` (4, 2) in pixels, clockwise from the first.

        `gloss` names a patch and the share of white that its glare adds; `surfaces` (N, 81) are the patches' reflectances where
        they are not those of the definition.
        """
        surfaces = chart.reflectances if surfaces is None else surfaces
        if surfaces is None:
            raise ValueError("a chart without reflectances cannot be drawn")
        across, down = chart.columns - chart.gap, chart.rows - chart.gap
        rows, columns, mask, u, v, soft = self._sheet(corners, 1.25 / across if chart.marks else 0.21 / across)
        self._shadow(rows, columns, mask, 7, 9, 8, 0.5)
        body, white = self._colour(np.array([np.full(len(WAVELENGTHS), 0.028), surfaces.max(axis=0)]))
        colours = self._colour(surfaces)
        if gloss is not None:
            colours[chart.ids.index(gloss[0])] += gloss[1] * self._colour(np.ones((1, len(WAVELENGTHS))))[0]
        # a patch is what is nearer than half a pitch to its centre; its edge is softened over one pixel
        column = np.clip(np.floor(u * across + chart.gap / 2), 0, chart.columns - 1)
        row = np.clip(np.floor(v * down + chart.gap / 2), 0, chart.rows - 1)
        sides = np.linalg.norm(np.roll(corners, -1, axis=0) - corners, axis=1)
        pitch = ((sides[0] + sides[2]) / 2 / across, (sides[1] + sides[3]) / 2 / down)
        half = (1 - chart.gap) / 2
        from_x = (half - np.abs(u * across - column - half)) * pitch[0]
        from_y = (half - np.abs(v * down - row - half)) * pitch[1]
        share = np.clip(np.minimum(from_x, from_y) + 0.5, 0, 1).astype(np.float32)[..., None]
        index = (row * chart.columns + column).astype(np.int32)
        ground = np.broadcast_to(body, (*u.shape, 3))
        if chart.marks:
            ground = self._paper_with_marks(chart, u * across, v * down, sum(pitch) / 2, body, white)
        picture = ground * (1 - share) + np.take(colours, index, axis=0) * share
        picture = picture * self.lit[rows, columns][..., None]
        self.rgb[rows, columns] = self.rgb[rows, columns] * (1 - soft[..., None]) + picture * soft[..., None]

    @staticmethod
    def _paper_with_marks(chart: Chart, x: Pixels, y: Pixels, pitch: float, body: Pixels, white: Pixels) -> Pixels:
        """What a printed chart shows between and beyond its patches; x, y in patch pitches."""
        across, down = chart.columns - chart.gap, chart.rows - chart.gap
        beyond = np.maximum(np.maximum(-x, x - across), np.maximum(-y, y - down))
        dark = np.clip((marks.PANEL - beyond) * pitch + 0.5, 0, 1)
        for number, (u, v) in enumerate(marks.centres(chart)):
            distance = np.hypot(x - u * across, y - v * down)
            disc = np.clip((marks.RADIUS - distance) * pitch + 0.5, 0, 1)
            hole = np.clip((marks.HOLE - distance) * pitch + 0.5, 0, 1) if number else 0.0
            dark = np.maximum(dark, disc * (1 - hole))
        return np.asarray(white + (body - white) * dark[..., None], dtype=np.float32)

    # ---- what goes wrong ----------------------------------------------------------------------------------------

    def shelf(self, seed: int, rows: int = 4, columns: int = 9, loose: float = 0.3) -> None:
        """A shelf full of coloured rectangles over the whole frame: spines of books, boxes, windows."""
        rng = np.random.default_rng(seed)
        colours = self._colour(smooth_reflectances(rows * columns, seed))
        self.paper(0.08)
        for i in range(rows):
            for j in range(columns):
                w, h = self.width / columns, self.height / rows
                x, y = (j + loose * rng.uniform(-0.5, 0.5)) * w, (i + loose * rng.uniform(-0.5, 0.5)) * h
                size = rng.uniform(0.94 - 0.6 * loose, 0.94, 2) * [w, h]
                box = np.array([[x, y], [x + size[0], y], [x + size[0], y + size[1]], [x, y + size[1]]])
                cv2.fillConvexPoly(self.rgb, (box * 16).astype(np.int32), colours[i * columns + j].tolist(), cv2.LINE_AA, 4)
        self.rgb *= self.lit[..., None]

    def cast_shadow(self, point: tuple[float, float], angle: float, darkness: float, softness: float) -> None:
        """A shadow over everything on one side of a line through a point (pixels) at an angle (degrees), with a soft edge."""
        y, x = np.mgrid[0 : self.height, 0 : self.width].astype(np.float32)
        turn = np.deg2rad(angle)
        distance = (x - point[0]) * np.cos(turn) + (y - point[1]) * np.sin(turn)
        self.rgb *= (1.0 - darkness / (1.0 + np.exp(np.clip(-distance / max(softness, 0.3), -60, 60))))[..., None].astype(
            np.float32
        )

    def glare(self, point: tuple[float, float], radius: float, strength: float) -> None:
        """Light mirrored into the lens around a point (pixels): adds a share of white, falling off smoothly."""
        y, x = np.mgrid[0 : self.height, 0 : self.width].astype(np.float32)
        lobe = np.exp(-0.5 * ((x - point[0]) ** 2 + (y - point[1]) ** 2) / radius**2).astype(np.float32)
        self.rgb = self.rgb + strength * lobe[..., None] * self._colour(np.ones((1, len(WAVELENGTHS))))[0]

    def defocus(self, sigma: float) -> None:
        """The lens's blur, in pixels."""
        self.rgb = np.asarray(cv2.GaussianBlur(self.rgb, (0, 0), sigma), dtype=np.float32)
