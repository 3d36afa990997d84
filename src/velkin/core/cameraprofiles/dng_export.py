"""A fitted profile as a DNG camera profile: matrices for its lights, and what the model does beyond them as a table."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from velkin.core.cameraprofiles.dng import DNGProfile
from velkin.core.cameraprofiles.huesat import HueSatMap, from_hsv, to_hsv
from velkin.core.cameraprofiles.matrices import ColourMatrices, flat, kelvin_of
from velkin.core.cameraprofiles.models import Matrix, Model, Table
from velkin.core.cameraprofiles.profile import CameraProfile, LightFit
from velkin.core.cameraprofiles.table_fit import HUES
from velkin.core.cameraprofiles.tone import STRAIGHT, standard_curve
from velkin.core.cameraprofiles.variants import Variant, Varied
from velkin.core.errors import NotSupported
from velkin.core.spaces.rgb import ROMM

Floats = NDArray[np.float64]

#: Codes that may stand for a light, by temperature: standard light A, ISO studio tungsten, D50, D55, D65, D75.
_CODES = (17, 24, 23, 20, 21, 22)
_SATURATIONS = 49
#: It was fitted to the numbers of the body itself, so that no file's calibration of a body is to come on top.
_SIGNATURE = "fitted to the body"


def dng_profile(profile: CameraProfile, policy: int = 3) -> DNGProfile:
    """The DNG camera profile that does what a fitted one does.

    Readers know lights by a few codes only. For two lights the matrices and tables are moved, along the line that
    interpolation follows, to the temperatures of the two codes; for one light the code is a label.

    Raises
    ------
    NotSupported
        For a profile of finished pictures: a DNG profile takes camera numbers.
    """
    if profile.for_pictures:
        raise NotSupported(
            "a profile of finished pictures cannot be a DNG camera profile: those take a sensor's own numbers, and these are "
            "already rendered. An ICC profile or a .cube can carry it"
        )
    mixer = np.array(profile.variant.mixer)
    reach = np.array(profile.variant.reach)
    forward = [np.array(f.matrix) @ mixer for f in profile.fits]
    # a reader multiplies by the amplification of the file at hand, which the chart frame's numbers had in them
    colour = [f.colour_matrix() / (reach * f.analog)[:, None] for f in profile.fits]
    tables = [_table_of(profile, f) for f in profile.fits]
    maps = None if tables[0] is None else [t.data.astype(np.float64) for t in tables if t is not None]
    codes: tuple[int, ...]
    if len(profile.fits) == 2:
        warm, cool = (f.cct for f in profile.fits)
        codes = (_nearest(warm), _nearest(cool))
        if codes[0] == codes[1]:
            codes = (17, 21)
        at = [(1.0 / kelvin_of(c) - 1.0 / cool) / (1.0 / warm - 1.0 / cool) for c in codes]
        forward = [s * forward[0] + (1.0 - s) * forward[1] for s in at]
        colour = [s * colour[0] + (1.0 - s) * colour[1] for s in at]
        if maps is not None:
            maps = [s * maps[0] + (1.0 - s) * maps[1] for s in at]
    else:
        codes = (_nearest(profile.cct),)
    exposure = 0.0 if profile.keep_exposure else float(np.mean([np.log2(f.factor) for f in profile.fits]))
    return DNGProfile(
        name=profile.name,
        camera=profile.camera,
        illuminants=codes,
        matrices=ColourMatrices(flat(colour), tuple(kelvin_of(c) for c in codes), flat(forward)),
        tables=() if maps is None else tuple(_kept(m) for m in maps),
        tone=standard_curve() if profile.tone == "standard" else STRAIGHT,
        exposure=exposure,
        black=False,
        copyright=profile.copyright,
        policy=policy,
        signature=_SIGNATURE,
    )


def _nearest(kelvin: float) -> int:
    return min(_CODES, key=lambda code: abs(1.0 / kelvin_of(code) - 1.0 / kelvin))


def _kept(data: Floats) -> HueSatMap:
    data = data.copy()
    data[..., 1:] = np.maximum(data[..., 1:], 0.0)  # moving along the line may leave what factors can be
    return HueSatMap(data.astype(np.float32))


def _table_of(profile: CameraProfile, fit: LightFit) -> HueSatMap | None:
    """What the model does beyond the plain matrix, as a table; None where that is nothing."""
    variant = profile.variant
    if isinstance(fit.model, Matrix) and variant.saturation == 1.0:
        return None
    if isinstance(fit.model, Table) and variant.saturation == 1.0:
        return fit.model.table
    model = _after_mixer(fit.model, profile)
    return table_between(np.array(fit.matrix), model)


def _after_mixer(model: Model, profile: CameraProfile) -> Callable[[Floats], Floats]:
    """The model with the variant's saturation but without its mixer, which the matrices carry."""
    return Varied(model, Variant(saturation=profile.variant.saturation)).xyz


def table_between(matrix: Floats, model: Callable[[Floats], Floats], hues: int = HUES) -> HueSatMap:
    """The table that turns what a matrix gives into what a model of the same white gives, the same at every exposure.

    Parameters
    ----------
    matrix : ndarray (3, 3)
        Balanced camera RGB → XYZ D50.
    model : function of balanced camera RGB (N, 3) giving XYZ D50 (N, 3)
    """
    h, s = np.meshgrid(np.arange(hues) * 6.0 / hues, np.linspace(0.0, 1.0, _SATURATIONS), indexing="ij")
    s = np.where(s == 0.0, 1e-4, s)
    camera = from_hsv(h, s, np.ones_like(h)) @ np.linalg.inv(ROMM.from_xyz @ matrix).T
    after_h, after_s, after_v = to_hsv(model(camera) @ ROMM.from_xyz.T)
    turn = (after_h - h + 3.0) % 6.0 - 3.0
    data = np.stack([turn * 60.0, after_s / s, after_v], axis=-1)
    data[..., 0] = np.clip(np.where(after_s < 1e-6, 0.0, data[..., 0]), -90.0, 90.0)
    data[..., 1:] = np.clip(data[..., 1:], 0.0, 5.0)
    data[:, 0, 2] = 1.0  # neutrals stay what they are
    return HueSatMap(data[None].astype(np.float32))
