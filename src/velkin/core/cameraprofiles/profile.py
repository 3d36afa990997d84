"""A fitted camera profile and everything that has to be known about it next month; its lossless JSON file."""

from __future__ import annotations

import base64
import binascii
import json
import zlib
from dataclasses import asdict, dataclass, field
from pathlib import Path
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from velkin.core.cameraprofiles.huesat import HueSatMap
from velkin.core.cameraprofiles.matrices import ColourMatrices
from velkin.core.cameraprofiles.models import (
    ColourMap,
    Matrix,
    Model,
    RootPolynomial,
    Rows,
    Table,
    as_rows,
    mixed,
    name_of,
)
from velkin.core.cameraprofiles.tone import ToneCurve, standard_curve
from velkin.core.cameraprofiles.variants import Variant, Varied
from velkin.core.errors import BadProfile, FitRefused, UnreadableFile
from velkin.core.files.checked_json import refused_as
from velkin.core.spaces.adaptation import D50, bradford, xy_to_xyz
from velkin.core.spaces.temperature import xy_of_temperature

Floats = NDArray[np.float64]

_FORMAT = "Velkin camera profile"
_VERSION = 2


@dataclass(frozen=True)
class PatchError:
    """ΔE00 of one patch through the built-in profile and through the fitted one."""

    id: str
    before: float
    after: float


@dataclass(frozen=True)
class Figures:
    """How well a profile does on the chart it was fitted on (ΔE00), after one common exposure factor.

    Attributes
    ----------
    mean, p95, worst : float
    leave_one_out : float
        Mean over patches, each predicted by a fit that did not see it.
    neutral : float
        Mean over the neutral patches.
    before : float
        Mean through the camera's built-in profile.
    """

    mean: float
    p95: float
    worst: float
    leave_one_out: float
    neutral: float
    before: float


@dataclass(frozen=True)
class LightFit:
    """What was fitted on one chart under one light.

    Attributes
    ----------
    model : Model
        Balanced camera RGB → XYZ D50.
    matrix : 3 × 3
        The plain matrix fitted to the same reading; the model itself where that is a matrix.
    balance : 3 floats
        White balance of the chart frame, multipliers, green 1.
    exposure : float
        Factor that matches the chart's neutrals to their reference.
    light : str
        The light of the reference.
    cct, duv : float
        Of the light: as given, or of the chart frame's neutral through the built-in profile.
    chart, chart_frame : str
        Chart id, and file name of the frame.
    figures : Figures
    patches : tuple of PatchError
    analog : 3 floats
        By what the chart frame's channels were amplified before they were digitised.
    baseline : float
        EV by which the chart frame's file asks for its exposure to be moved, which `exposure` does not count.
    """

    model: Model
    matrix: Rows
    balance: tuple[float, float, float]
    exposure: float
    light: str
    cct: float
    duv: float
    chart: str
    chart_frame: str
    figures: Figures
    patches: tuple[PatchError, ...]
    analog: tuple[float, float, float] = (1.0, 1.0, 1.0)
    baseline: float = 0.0

    @property
    def factor(self) -> float:
        """What brings the chart's neutrals to their reference beyond what the frame itself asks for."""
        return self.exposure / 2.0**self.baseline

    def colour_matrix(self) -> Floats:
        """XYZ of the light itself → camera RGB, 3×3: what the plain matrix undoes, the chart's neutral at the light's white."""
        white = xy_to_xyz(xy_of_temperature(self.cct, self.duv))
        inverse = np.linalg.inv(np.array(self.matrix))
        return np.asarray((inverse @ bradford(white, D50)) / np.array(self.balance)[:, None])


@dataclass(frozen=True)
class CameraProfile:
    """A profile of one camera, for one light or for all between two.

    Attributes
    ----------
    name : str
    camera : str
        Unique camera model it was made for.
    fits : one or two LightFit
        Two are interpolated in reciprocal temperature; the warmer light first.
    keep_exposure : bool
        Whether the shot's exposure is kept; else the profile brings the chart's neutrals to their reference.
    tone : ``none`` or ``standard``
    variant : Variant
    reason : str
        Why this model, in words.
    made : str
        ISO 8601 time; empty when not recorded.
    curves : tuple of 3 tuples of floats
        For finished pictures: what each channel's encoded number 0..1, in even steps, is in linear balanced light.
        Empty for raw.
    notes, copyright : str
    """

    name: str
    camera: str
    fits: tuple[LightFit, ...]
    keep_exposure: bool = True
    tone: str = "none"
    variant: Variant = field(default_factory=Variant)
    reason: str = ""
    made: str = ""
    curves: tuple[tuple[float, ...], ...] = ()
    notes: str = ""
    copyright: str = ""

    @property
    def model(self) -> str:
        """``matrix``, ``rootpoly`` or ``table``."""
        return name_of(self.fits[0].model)

    @property
    def balance(self) -> tuple[float, float, float] | None:
        """White balance of the chart frame; None for two lights, between which each frame has its own."""
        return self.fits[0].balance if len(self.fits) == 1 else None

    @property
    def exposure(self) -> float:
        """Factor that matches the (first) chart's neutrals to their reference."""
        return self.fits[0].exposure

    @property
    def cct(self) -> float:
        """Temperature of the (first) light, kelvin."""
        return self.fits[0].cct

    @property
    def duv(self) -> float:
        """Duv of the (first) light."""
        return self.fits[0].duv

    @property
    def chart_frame(self) -> str:
        """File name of the frame it was fitted on; both, where there are two."""
        return " and ".join(f.chart_frame for f in self.fits)

    @property
    def light(self) -> str:
        """The light of the reference; both, where there are two."""
        return " to ".join(f.light for f in self.fits)

    @property
    def patches(self) -> tuple[PatchError, ...]:
        """Errors of all patches of all fits."""
        return tuple(p for f in self.fits for p in f.patches)

    @property
    def figures(self) -> Figures:
        """The fit's figures; over both charts, where there are two."""
        if len(self.fits) == 1:
            return self.fits[0].figures
        after = np.array([p.after for p in self.patches])

        def mean(name: str) -> float:
            return float(np.mean([getattr(f.figures, name) for f in self.fits]))

        return Figures(
            float(after.mean()), float(np.percentile(after, 95)), float(after.max()),
            mean("leave_one_out"), mean("neutral"), mean("before"),
        )  # fmt: skip

    @property
    def quality(self) -> Figures | None:
        """How well it does on its chart; None for a variant, whose colours are not meant to be the chart's."""
        return None if self.variant.changes_colours else self.figures

    @property
    def for_pictures(self) -> bool:
        """Whether it takes finished pictures rather than camera numbers."""
        return bool(self.curves)

    def matrices(self) -> ColourMatrices:
        """The profile's own colour matrices, by which it finds temperatures, with its reach."""
        reach = np.array(self.variant.reach)
        return ColourMatrices(
            tuple(tuple(float(v) for v in (f.colour_matrix() / reach[:, None]).ravel()) for f in self.fits),
            tuple(f.cct for f in self.fits),
        )

    def share(self, balance: Floats) -> float:
        """How much of the first fit counts at a white balance (3,): linear in reciprocal temperature."""
        return 1.0 if len(self.fits) == 1 else self.matrices().share(np.asarray(balance))

    def model_at(self, balance: Floats) -> Model:
        """The model at a white balance (3,), exposure included."""
        share = self.share(balance)
        first = self.fits[0]
        model = first.model if share == 1.0 else mixed(first.model, self.fits[1].model, share)
        if self.keep_exposure:
            return model
        factor = first.factor if share == 1.0 else first.factor**share * self.fits[1].factor ** (1.0 - share)
        return scaled(model, factor)

    def colours(self, balance: Floats) -> ColourMap:
        """The map from balanced camera RGB to XYZ D50 at a white balance (3,)."""
        model = self.model_at(balance)
        if not self.variant.changes_colours:
            return model
        if isinstance(model, Matrix) and self.variant.saturation == 1.0:
            return Matrix(as_rows(np.array(model.matrix) @ np.array(self.variant.mixer)))
        return Varied(model, self.variant)

    def tone_curve(self) -> ToneCurve | None:
        """The curve that goes with it, for those who want one."""
        return standard_curve() if self.tone == "standard" else None

    def array(self) -> Floats:
        """The (first) fit's plain matrix as an array (3, 3)."""
        return np.array(self.fits[0].matrix, dtype=np.float64)

    def to_json(self) -> str:
        """The file's text; every number is written in full."""
        data = {
            "format": _FORMAT,
            "version": _VERSION,
            "name": self.name,
            "camera": self.camera,
            "keep_exposure": self.keep_exposure,
            "tone": self.tone,
            "variant": asdict(self.variant),
            "reason": self.reason,
            "made": self.made,
            "notes": self.notes,
            "copyright": self.copyright,
            "curves": self.curves,
            "fits": [{**asdict(f), "model": _model_to_data(f.model)} for f in self.fits],
        }
        return json.dumps(data, indent=1, ensure_ascii=False) + "\n"


def scaled(model: Model, factor: float) -> Model:
    """A model whose XYZ are `factor` times as large."""
    if isinstance(model, Matrix):
        return Matrix(as_rows(np.array(model.matrix) * factor))
    if isinstance(model, RootPolynomial):
        return RootPolynomial(as_rows(np.array(model.coefficients) * factor))
    return Table(as_rows(np.array(model.matrix) * factor), model.table)


def _model_to_data(model: Model) -> dict[str, Any]:
    if isinstance(model, Matrix):
        return {"kind": "matrix", "matrix": model.matrix}
    if isinstance(model, RootPolynomial):
        return {"kind": "rootpoly", "coefficients": model.coefficients}
    packed = base64.b64encode(zlib.compress(model.table.data.astype("<f4").tobytes(), 9)).decode()
    table = {"shape": list(model.table.data.shape), "encoding": model.table.encoding, "float32-zlib-base64": packed}
    return {"kind": "table", "matrix": model.matrix, "table": table}


# ---- reading ------------------------------------------------------------------------------------------------------


def profile_from_json(text: str) -> CameraProfile:
    """The profile in a file's text.

    Raises
    ------
    BadProfile
        When it is not Velkin's, from a newer version, or its numbers cannot be a profile.
    """
    with refused_as(lambda why: BadProfile(f"the camera profile is damaged: it {why}")):
        data: Any = json.loads(text)
        if not isinstance(data, dict) or data.get("format") != _FORMAT:
            raise BadProfile("this is not a Velkin camera profile")
        if data.get("version") == 1:
            return _first_version(data)
        if data.get("version") != _VERSION:
            raise BadProfile(f"the profile was written by another version of Velkin (format {data.get('version')!r})")
        profile = CameraProfile(
            name=str(data["name"]),
            camera=str(data["camera"]),
            fits=tuple(_fit_from_data(f) for f in data["fits"]),
            keep_exposure=bool(data["keep_exposure"]),
            tone=str(data["tone"]),
            variant=_variant_from_data(data["variant"]),
            reason=str(data["reason"]),
            made=str(data["made"]),
            curves=tuple(tuple(float(v) for v in curve) for curve in data["curves"]),
            notes=str(data["notes"]),
            copyright=str(data["copyright"]),
        )
    return _checked(profile)


def _variant_from_data(data: Any) -> Variant:
    mixer = tuple(tuple(float(v) for v in row) for row in data["mixer"])
    try:
        return Variant(mixer, float(data["saturation"]), tuple(float(v) for v in data["reach"]))  # type: ignore[arg-type]
    except FitRefused as error:
        raise BadProfile(f"the profile's variant cannot be meant: {error.message}") from error


def _first_version(data: dict[str, Any]) -> CameraProfile:
    """A profile of format 1: one light, matrix only."""
    if data["model"] != "matrix":
        raise BadProfile(f"the profile's model {data['model']!r} is not known to this version")
    fit = {k: data[k] for k in ("matrix", "balance", "exposure", "light", "cct", "duv", "chart", "chart_frame", "figures")}
    fit |= {"patches": data["patches"], "model": {"kind": "matrix", "matrix": data["matrix"]}}
    return _checked(CameraProfile(str(data["name"]), str(data["camera"]), (_fit_from_data(fit),), made=str(data["made"])))


def _rows(data: Any, columns: int) -> Rows:
    array = np.array(data, dtype=np.float64)
    if array.shape != (3, columns) or not np.all(np.isfinite(array)) or np.abs(array).max() > 1e3:
        raise BadProfile(f"the profile's numbers are not a 3×{columns} matrix")
    return as_rows(array)


def _model_from_data(data: Any) -> Model:
    if data["kind"] == "matrix":
        return Matrix(_rows(data["matrix"], 3))
    if data["kind"] == "rootpoly":
        return RootPolynomial(_rows(data["coefficients"], 6))
    if data["kind"] != "table":
        raise BadProfile(f"the profile's model {data['kind']!r} is not known to this version")
    table = data["table"]
    shape = tuple(int(n) for n in table["shape"])
    if len(shape) != 4 or min(shape) < 1 or np.prod([float(n) for n in shape]) > 1_200_000:
        raise BadProfile("the profile's table has a size that cannot be meant")
    wanted = int(np.prod(shape)) * 4
    try:
        unpack = zlib.decompressobj()
        packed = base64.b64decode(table["float32-zlib-base64"], validate=True)
        values = unpack.decompress(packed, wanted + 1)
    except (binascii.Error, zlib.error) as error:
        raise BadProfile("the profile's table is damaged") from error
    if len(values) != wanted:
        raise BadProfile("the profile's table does not hold what its size says")
    encoding: Literal["linear", "srgb"] = "srgb" if table["encoding"] == "srgb" else "linear"
    return Table(_rows(data["matrix"], 3), HueSatMap(np.frombuffer(values, "<f4").reshape(shape).copy(), encoding))


def _fit_from_data(data: Any) -> LightFit:
    return LightFit(
        model=_model_from_data(data["model"]),
        matrix=_rows(data["matrix"], 3),
        balance=_three(data["balance"], "white balance"),
        exposure=float(data["exposure"]),
        light=str(data["light"]),
        cct=float(data["cct"]),
        duv=float(data["duv"]),
        chart=str(data["chart"]),
        chart_frame=str(data["chart_frame"]),
        figures=Figures(**{k: float(v) for k, v in data["figures"].items()}),
        patches=tuple(PatchError(str(p["id"]), float(p["before"]), float(p["after"])) for p in data["patches"]),
        analog=_three(data.get("analog", (1.0, 1.0, 1.0)), "amplification"),
        baseline=float(data.get("baseline", 0.0)),
    )


def _three(data: Any, what: str) -> tuple[float, float, float]:
    values = tuple(float(v) for v in data)
    if len(values) != 3 or not all(np.isfinite(v) and v > 0 for v in values):
        raise BadProfile(f"the profile's {what} is not three positive multipliers")
    return values


def _checked(profile: CameraProfile) -> CameraProfile:
    if not 1 <= len(profile.fits) <= 2 or len({type(f.model) for f in profile.fits}) != 1:
        raise BadProfile("the profile is neither for one light nor for two with the same model")
    for fit in profile.fits:
        matrix = np.array(fit.matrix)
        rows = [fit.model.coefficients] if isinstance(fit.model, RootPolynomial) else [fit.model.matrix]
        if abs(np.linalg.det(matrix)) < 1e-6 or any(
            np.abs(np.array(r).sum(axis=1) - D50).max() > 1e-3 for r in [*rows, matrix]
        ):
            raise BadProfile("the profile's matrix does not keep white white, or cannot be undone")
        if not (
            np.isfinite(fit.exposure)
            and abs(fit.baseline) <= 20
            and 1e-3 < fit.exposure < 1e3
            and 1000 <= fit.cct <= 1e5
            and abs(fit.duv) < 0.2
        ):
            raise BadProfile("the profile's exposure or light cannot be meant")
    if isinstance(profile.fits[0].model, Table):
        shapes = {f.model.table.data.shape for f in profile.fits if isinstance(f.model, Table)}
        if len(shapes) != 1:
            raise BadProfile("the profile's two tables differ in size")
    if profile.tone not in ("none", "standard"):
        raise BadProfile(f"the profile's tone curve {profile.tone!r} is not known to this version")
    curves = [np.array(c) for c in profile.curves]
    if curves and (
        len(curves) != 3
        or any(not 2 <= len(c) <= 70000 or np.any(np.diff(c) < 0) or not np.all(np.isfinite(c)) for c in curves)
    ):
        raise BadProfile("the profile's curves are not three rising ones")
    return profile


def load_profile(path: Path) -> CameraProfile:
    """The profile in a file.

    Raises
    ------
    UnreadableFile, BadProfile
    """
    try:
        if path.stat().st_size > 4_000_000:
            raise BadProfile("the file is far larger than a camera profile", path)
        return profile_from_json(path.read_text(encoding="utf-8"))
    except OSError as error:
        raise UnreadableFile(f"the profile cannot be read ({error.strerror})", path) from error
    except UnicodeDecodeError as error:
        raise BadProfile("this is not a Velkin camera profile", path) from error
    except BadProfile as error:
        raise BadProfile(error.message, path) from error
