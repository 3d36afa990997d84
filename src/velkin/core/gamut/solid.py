"""The solid of colours that a space or a device holds, in Lab: its surface, its slices, its volume, and what two have in common.

The surface is the image of the device cube's two-dimensional faces (six of RGB; twenty-four of CMYK, of which the outermost
counts). Cut at a lightness it gives line segments; along each hue the furthest of them is the boundary. That presumes that
every colour between the grey axis and the boundary is held too, which is so for spaces and presses of use.
"""

from __future__ import annotations

import itertools
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from velkin.core.cache import cached
from velkin.core.icc.space import CHANNELS, Space
from velkin.core.icc.transform import to_lab
from velkin.core.spaces.lab import lab_to_xyz, xyz_to_lab
from velkin.core.spaces.rgb import RGBSpace

Floats = NDArray[np.float64]

#: Steps of lightness and of hue of the table.
SLICES, HUES = 120, 240
_SIDE = {3: 41, 4: 25}


@dataclass(frozen=True)
class Solid:
    """A solid.

    Attributes
    ----------
    space : Space
    lightness : ndarray (SLICES,)
        L* of the middles of even slices between the darkest and the lightest colour.
    radius : ndarray (SLICES, HUES)
        Largest chroma C*ab in each slice, at even steps of hue from 0°.
    mesh : ndarray (quads, 4, 3)
        The surface as quadrilaterals in Lab, for drawing.
    volume : float
        In cubic ΔE*76 units.
    """

    space: Space
    lightness: Floats = field(repr=False, compare=False)
    radius: Floats = field(repr=False, compare=False)
    mesh: Floats = field(repr=False, compare=False)
    volume: float = field(compare=False)

    @property
    def step(self) -> float:
        """Thickness of a slice."""
        return float(self.lightness[1] - self.lightness[0])

    def radius_at(self, lightness: Floats | float, hue: Floats) -> Floats:
        """Largest chroma at lightness and hue (degrees), interpolated; 0 above the white and below the black."""
        at = (np.asarray(lightness, dtype=np.float64) - self.lightness[0]) / self.step
        turn = (np.asarray(hue, dtype=np.float64) % 360.0) / 360.0 * HUES
        i = np.clip(np.floor(at).astype(int), 0, SLICES - 2)
        j = np.floor(turn).astype(int) % HUES
        u, v = np.clip(at - i, 0.0, 1.0), turn - np.floor(turn)
        k = (j + 1) % HUES
        r = self.radius
        found = (1 - u) * ((1 - v) * r[i, j] + v * r[i, k]) + u * ((1 - v) * r[i + 1, j] + v * r[i + 1, k])
        return np.asarray(np.where((at >= -0.5) & (at <= SLICES - 0.5), found, 0.0))

    def outline(self, lightness: float) -> Floats:
        """The slice at a lightness as a closed polygon (HUES + 1, 2) in a*, b*."""
        hues = np.linspace(0.0, 360.0, HUES + 1)
        r = self.radius_at(np.full(HUES + 1, lightness), hues)
        return np.stack([r * np.cos(np.radians(hues)), r * np.sin(np.radians(hues))], axis=1)

    def beyond(self, lab: Floats) -> Floats:
        """How far (N,) Lab (N, 3) lies beyond the surface, in chroma or in lightness (ΔE*76); 0 or less within."""
        hue = np.degrees(np.arctan2(lab[:, 2], lab[:, 1]))
        low, high = self.lightness[0] - 0.5 * self.step, self.lightness[-1] + 0.5 * self.step
        chroma = np.hypot(lab[:, 1], lab[:, 2]) - self.radius_at(np.clip(lab[:, 0], low, high), hue)
        return np.maximum(chroma, np.maximum(low - lab[:, 0], lab[:, 0] - high))

    def holds(self, lab: Floats) -> NDArray[np.bool_]:
        """Which Lab (N, 3) lie within."""
        return np.asarray(self.beyond(lab) <= 1e-9)


def _faces(channels: int, side: int) -> Floats:
    """Device values (faces, side, side, channels) of the cube's two-dimensional faces."""
    u, v = np.meshgrid(np.linspace(0.0, 1.0, side), np.linspace(0.0, 1.0, side), indexing="ij")
    found = []
    for free in itertools.combinations(range(channels), 2):
        others = [c for c in range(channels) if c not in free]
        for ends in itertools.product((0.0, 1.0), repeat=len(others)):
            face = np.empty((side, side, channels))
            face[..., free[0]], face[..., free[1]] = u, v
            face[..., others] = ends
            found.append(face)
    return np.array(found)


def colours_of(space: Space, device: Floats) -> Floats:
    """Media-relative Lab (..., 3) of device values (..., C). Raises BadProfile."""
    flat = device.reshape(-1, device.shape[-1])
    if isinstance(space, RGBSpace):
        found = xyz_to_lab(space.decode(flat) @ space.to_xyz.T)
    else:
        found = to_lab(flat, space.icc, space.model)
    return found.reshape(*device.shape[:-1], 3)


def _triangles(quads: Floats) -> Floats:
    """Triangles (T, 3, 3) of faces (F, n, n, 3)."""
    p, q, r, s = quads[:, :-1, :-1], quads[:, 1:, :-1], quads[:, 1:, 1:], quads[:, :-1, 1:]
    return np.concatenate([np.stack([p, q, r], axis=-2).reshape(-1, 3, 3), np.stack([p, r, s], axis=-2).reshape(-1, 3, 3)])


def _segments(triangles: Floats, lightness: float) -> Floats:
    """Where triangles are cut at a lightness: segments (M, 2, 2) in a*, b*."""
    above = triangles[:, :, 0] > lightness
    cut = triangles[above.any(axis=1) & ~above.all(axis=1)]
    if not len(cut):
        return np.zeros((0, 2, 2))
    ends = []
    for i, j in ((0, 1), (1, 2), (2, 0)):
        a, b = cut[:, i], cut[:, j]
        rise = b[:, 0] - a[:, 0]
        t = np.divide(lightness - a[:, 0], rise, out=np.full(len(cut), -1.0), where=rise != 0)
        crosses = (a[:, 0] > lightness) != (b[:, 0] > lightness)
        ends.append(np.where(crosses[:, None], a[:, 1:] + t[:, None] * (b[:, 1:] - a[:, 1:]), np.nan))
    points = np.stack(ends, axis=1)  # exactly two of three are numbers
    order = np.argsort(np.isnan(points[:, :, 0]), axis=1, kind="stable")[:, :2]
    return np.take_along_axis(points, order[:, :, None], axis=1)


def _furthest(segments: Floats) -> Floats:
    """The furthest crossing (HUES,) of segments with rays from the grey axis at even hues."""
    hues = np.linspace(0.0, 2 * np.pi, HUES, endpoint=False)
    ray = np.stack([np.cos(hues), np.sin(hues)])
    p, d = segments[:, 0], segments[:, 1] - segments[:, 0]
    # p + t·d = r·ray  ⇒  t = (p × ray) / (ray × d), r = (p × d) / (ray × d)
    cross = ray[0] * d[:, 1:2] - ray[1] * d[:, 0:1]
    t = np.divide(p[:, 0:1] * ray[1] - p[:, 1:2] * ray[0], cross, out=np.full(cross.shape, -1.0), where=np.abs(cross) > 1e-12)
    r = np.divide(
        (p[:, 0] * d[:, 1] - p[:, 1] * d[:, 0])[:, None], cross, out=np.zeros(cross.shape), where=np.abs(cross) > 1e-12
    )
    hit = (t >= -1e-9) & (t <= 1.0 + 1e-9) & (r > 0)
    return np.asarray(np.where(hit, r, 0.0).max(axis=0, initial=0.0))


@cached(200_000_000)
def solid_of(space: Space) -> Solid:
    """The solid of a space.

    Raises
    ------
    BadProfile
        When its profile gives no colours.
    """
    channels = CHANNELS[space.model]
    if channels == 1:
        return _line(space)
    faces = colours_of(space, _faces(channels, _SIDE[channels]))
    triangles = _triangles(faces)
    low, high = float(triangles[:, :, 0].min()), float(triangles[:, :, 0].max())
    edges = np.linspace(low, high, SLICES + 1)
    lightness = 0.5 * (edges[:-1] + edges[1:])
    radius = np.stack([_furthest(_segments(triangles, at)) for at in lightness])
    volume = float((0.5 * radius**2).sum() * (2 * np.pi / HUES) * (edges[1] - edges[0]))
    mesh = _drawn(faces) if channels == 3 else _of_table(lightness, radius)
    return Solid(space, lightness, radius, mesh, volume)


def _line(space: Space) -> Solid:
    """Gray holds a line and no volume."""
    ends = colours_of(space, np.array([[0.0], [1.0]]))[:, 0]
    lightness = np.linspace(ends.min(), ends.max(), SLICES)
    return Solid(space, lightness, np.zeros((SLICES, HUES)), np.zeros((0, 4, 3)), 0.0)


def _drawn(faces: Floats) -> Floats:
    """Coarse quadrilaterals of the faces."""
    few = faces[:, ::4, ::4]
    return np.stack([few[:, :-1, :-1], few[:, 1:, :-1], few[:, 1:, 1:], few[:, :-1, 1:]], axis=-2).reshape(-1, 4, 3)


def _of_table(lightness: Floats, radius: Floats) -> Floats:
    """Coarse quadrilaterals of a table of radii."""
    rows, columns = np.linspace(0, SLICES - 1, 41).astype(int), np.arange(0, HUES + 1, 4)
    hues = 2 * np.pi * columns / HUES
    r = radius[rows][:, columns % HUES]
    lab = np.stack([np.broadcast_to(lightness[rows][:, None], r.shape), r * np.cos(hues), r * np.sin(hues)], axis=-1)
    return np.stack([lab[:-1, :-1], lab[1:, :-1], lab[1:, 1:], lab[:-1, 1:]], axis=-2).reshape(-1, 4, 3)


def common(first: Solid, second: Solid) -> float:
    """The volume that two solids have in common, in cubic ΔE*76 units."""
    hues = np.linspace(0.0, 360.0, HUES, endpoint=False)
    r = np.stack([second.radius_at(np.full(HUES, at), hues) for at in first.lightness])
    shared = np.minimum(first.radius, r)
    return float((0.5 * shared**2).sum() * (2 * np.pi / HUES) * first.step)


def chromaticities(space: Space) -> Floats:
    """xy (N, 2) of a closed polygon round all that a space holds: its primaries, or the hull of a device's colours.

    Examples
    --------
    >>> from velkin.core.spaces.rgb import SRGB
    >>> chromaticities(SRGB)[0].tolist()
    [0.64, 0.33]
    """
    if isinstance(space, RGBSpace) and space.given is None:
        return np.array([*space.primaries, space.primaries[0]])
    channels = CHANNELS[space.model]
    if channels == 1:
        return np.zeros((0, 2))
    from scipy.spatial import ConvexHull

    xyz = lab_to_xyz(colours_of(space, _faces(channels, 17)).reshape(-1, 3))
    xyz = xyz[(xyz[:, 1] > 0.02) & (xyz.sum(axis=1) > 0.05)]
    xy = xyz[:, :2] / xyz.sum(axis=1, keepdims=True)
    hull = ConvexHull(xy).vertices
    return np.asarray(xy[[*hull, hull[0]]])


def uv_prime(xy: Floats) -> Floats:
    """CIE 1976 u′v′ (N, 2) of xy (N, 2) (CIE 015:2018 8.2.2)."""
    under = -2.0 * xy[:, 0] + 12.0 * xy[:, 1] + 3.0
    return np.asarray(np.stack([4.0 * xy[:, 0], 9.0 * xy[:, 1]], axis=1) / under[:, None])
