"""Spectral data and the lights made from them: CIE 015:2018 observer, daylight, Planckian radiators.

All spectra here are sampled at `WAVELENGTHS`, 380 to 780 nm in 5 nm, and XYZ are on the scale where the light's own
white has Y = 1. Reflectances are 0..1.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from velkin.core.errors import NotSupported, UnreadableFile

Floats = NDArray[np.float64]

WAVELENGTHS: Floats = np.arange(380.0, 781.0, 5.0)
_AT_560 = 36


@lru_cache(maxsize=1)
def _tables() -> Floats:
    lines = (Path(__file__).with_name("data") / "cie.csv").read_text().splitlines()
    return np.array([line.split(",") for line in lines if line[0] != "#"], dtype=np.float64)


def observer() -> Floats:
    """CIE 1931 2° colour-matching functions, shape (81, 3)."""
    return _tables()[:, 1:4]


def planckian(kelvin: float | Floats) -> Floats:
    """Relative spectral power of a Planckian radiator, 1 at 560 nm (CIE 015:2018, c2 = 1.4388e-2 m K).

    Shape (81,) for one temperature, (N, 81) for temperatures (N, 1).
    """
    metres = WAVELENGTHS * 1e-9
    power = metres**-5.0 / np.expm1(1.4388e-2 / (metres * kelvin))
    return np.asarray(power / power[..., _AT_560 : _AT_560 + 1])


def daylight_xy(kelvin: float) -> tuple[float, float]:
    """Chromaticity of the CIE daylight locus at a correlated temperature of 4000 to 25000 K (CIE 015:2018 eq. 4.1)."""
    t = 1e3 / kelvin
    if kelvin <= 7000.0:
        x = ((-4.6070 * t + 2.9678) * t + 0.09911) * t + 0.244063
    else:
        x = ((-2.0064 * t + 1.9018) * t + 0.24748) * t + 0.237040
    return x, (-3.0 * x + 2.870) * x - 0.275


def daylight(kelvin: float) -> Floats:
    """Relative spectral power of CIE daylight at a correlated temperature of 4000 to 25000 K, shape (81,)."""
    x, y = daylight_xy(kelvin)
    m = 0.0241 + 0.2562 * x - 0.7341 * y
    m1 = (-1.3515 - 1.7703 * x + 5.9114 * y) / m
    m2 = (0.0300 - 31.4424 * x + 30.0717 * y) / m
    s = _tables()[:, 4:7]
    return np.asarray(s[:, 0] + m1 * s[:, 1] + m2 * s[:, 2])


def xyz_of_light(power: Floats) -> Floats:
    """XYZ of a light from its relative spectral power (81,), scaled to Y = 1."""
    xyz = power @ observer()
    return np.asarray(xyz / xyz[1])


def xyz_of_surfaces(reflectances: Floats, power: Floats) -> Floats:
    """XYZ (N, 3) of reflectances (N, 81) under a light (81,), on the scale where a perfect diffuser has Y = 1."""
    weights = power[:, None] * observer()
    return np.asarray((reflectances @ weights) / weights[:, 1].sum())


@dataclass(frozen=True)
class Illuminant:
    """A light whose spectrum is known or stood in for.

    Attributes
    ----------
    name : str
        What a photographer reads: ``D65``, ``2900 K``, a file's name.
    power : ndarray (81,)
        Relative spectral power at `WAVELENGTHS`.
    """

    name: str
    power: Floats

    @property
    def white(self) -> Floats:
        """XYZ of the light, Y = 1."""
        return xyz_of_light(self.power)


def illuminant_at(kelvin: float) -> Illuminant:
    """The usual stand-in for a light known by its temperature: Planckian below 4000 K, CIE daylight from there on."""
    if not 1000.0 <= kelvin <= 50000.0:
        raise NotSupported(f"a light of {kelvin:g} K is outside 1000 to 50000 K")
    power = planckian(kelvin) if kelvin < 4000.0 else daylight(min(kelvin, 25000.0))
    return Illuminant(f"{kelvin:.0f} K", power)


_STANDARD = {"D50": 5003.0, "D55": 5503.0, "D65": 6504.0, "D75": 7504.0}


def parse_light(text: str) -> Illuminant:
    """The light named by the command line's LIGHT (not ``auto``): ``A``, a daylight, a temperature, or a CSV of nm, power."""
    name = text.strip()
    if name.upper() == "A":
        return Illuminant("A", _tables()[:, 7].copy())
    if name.upper() in _STANDARD:
        return Illuminant(name.upper(), daylight(_STANDARD[name.upper()]))
    try:
        return illuminant_at(float(name.removesuffix("K").strip()))
    except ValueError:
        return _light_from_csv(Path(name))


def _light_from_csv(path: Path) -> Illuminant:
    import csv

    try:
        rows = list(csv.reader(path.read_text(encoding="utf-8-sig").splitlines()))
    except OSError as error:
        raise NotSupported(f"{path.name} is neither a light's name, nor a temperature, nor a readable CSV", path) from error
    except (UnicodeDecodeError, csv.Error) as error:
        raise UnreadableFile("not a text file of wavelength and power", path) from error
    pairs = []
    for number, row in enumerate(rows, start=1):
        if not row or row[0].lstrip().startswith("#"):
            continue
        try:
            pairs.append((float(row[0]), float(row[1])))
        except (ValueError, IndexError):
            if pairs:
                raise UnreadableFile(f"line {number}: expected wavelength in nm and power", path) from None
    if len(pairs) < 5:
        raise UnreadableFile("fewer than 5 lines of wavelength and power", path)
    nm, power = np.array(sorted(pairs)).T
    if not np.all(np.isfinite((nm, power))) or np.any(power < 0) or np.any(np.diff(nm) <= 0) or power.sum() <= 0:
        raise UnreadableFile("wavelengths and power must be finite, power not negative, each wavelength once", path)
    return Illuminant(path.stem, np.interp(WAVELENGTHS, nm, power))
