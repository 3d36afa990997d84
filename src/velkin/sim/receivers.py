"""How receivers see a written file: a viewer that heeds tags, one that ignores them, a web service, and the print room's press.

Each view is beside the master, the picture as the photographer sees it, with the difference in ΔE00 and a sentence. Web service
and press are the stand-ins.
"""

from __future__ import annotations

from dataclasses import dataclass
from io import BytesIO
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray
from PIL import Image

from velkin.core.conversion.codes import as_float
from velkin.core.conversion.light import linear_in
from velkin.core.destinations.sizing import Fitted
from velkin.core.errors import UnreadableFile, VelkinError
from velkin.core.files.picture import decode_picture
from velkin.core.files.transparency import over_white
from velkin.core.handoff.rows import working_at
from velkin.core.icc.space import Space, shown_for_now, space_of
from velkin.core.path import ColourPath
from velkin.core.spaces.adaptation import D50
from velkin.core.spaces.pictures import difference, lab
from velkin.core.spaces.rgb import ROMM, SRGB, RGBSpace, family_of
from velkin.core.tags.inspect import inspect
from velkin.sim.press import paper_white
from velkin.sim.print_room import inks_of, printed, refusal
from velkin.sim.web_service import Service

Pixels = NDArray[np.float32]

#: Ids of the receivers, in the order shown, and their names.
RECEIVERS = {
    "managed": "Viewer that heeds tags",
    "ignoring": "Viewer that ignores tags",
    "service": "Web service (simulated)",
    "press": "Quill Lane's press (simulated)",
}
#: Longest side that views are compared at, in pixels.
EDGE = 720
#: A mean ΔE00 below this is called the same; chroma that changes by less than a twentieth is not named.
_SAME, _CHROMA = 1.0, 0.05


@dataclass(frozen=True)
class View:
    """A file as one receiver sees it.

    Attributes
    ----------
    id, name : str
    linear : ndarray (H, W, 3), float32
        Linear ROMM RGB as seen, the press's paper included.
    mean, p95 : float
        ΔE00 against the master; the press's against the paper's white.
    chroma : float
        Mean chroma as a share of the master's.
    words : str
    warning : bool
        Whether the words warn.
    """

    id: str
    name: str
    linear: Pixels
    mean: float
    p95: float
    chroma: float
    words: str
    warning: bool


def master_of(source: NDArray[Any], path: ColourPath, fit: Fitted, edge: int = EDGE) -> Pixels:
    """The master at the size of the views, linear ROMM RGB: cut or set on white as the file is.

    Parameters
    ----------
    source : ndarray (H, W, C)
        The frame at full size, as it is shown (`source.Levels.merged`).
    path : ColourPath
    fit : Fitted
        How the file was fitted.
    """
    scale = min(1.0, edge / max(fit.out))
    out = (max(round(fit.out[0] * scale), 1), max(round(fit.out[1] * scale), 1))
    size = (max(round(fit.scaled[0] * scale), 1), max(round(fit.scaled[1] * scale), 1))
    working = working_at(source, path, size)
    linear = working @ (ROMM.from_xyz @ path.working.to_xyz).T.astype(np.float32)
    if size == out:
        return np.asarray(linear, dtype=np.float32)
    canvas = np.ones((out[1], out[0], 3), dtype=np.float32)
    left, top = (out[0] - size[0]) // 2, (out[1] - size[1]) // 2
    cut = linear[max(-top, 0) : max(-top, 0) + out[1], max(-left, 0) : max(-left, 0) + out[0]]
    y, x = max(top, 0), max(left, 0)
    canvas[y : y + cut.shape[0], x : x + cut.shape[1]] = cut
    return canvas


def views_of(
    path: Path, master: Pixels, wanted: tuple[str, ...] = tuple(RECEIVERS), service: Service | None = None
) -> list[View]:
    """A written file as receivers see it.

    Parameters
    ----------
    path : Path
    master : ndarray (H, W, 3), float32
        Of `master_of`.
    wanted : tuple of str
        Ids of `RECEIVERS`.

    Raises
    ------
    UnreadableFile
        When the file is not there any more or damaged.
    """
    found = inspect(path)
    picture = decode_picture(path)
    space: Space = space_of(found.icc) if found.icc else shown_for_now(found.model)
    size = (master.shape[1], master.shape[0])
    numbers = as_float(_near(over_white(picture), size))
    ways = {
        "managed": lambda: _managed(numbers, space, master),
        "ignoring": lambda: _ignoring(numbers, space, found.model, master),
        "service": lambda: _service(path, space, master, service or Service()),
        "press": lambda: _press(path, master),
    }
    return [ways[w]() for w in wanted]


def _near(numbers: NDArray[Any], size: tuple[int, int]) -> NDArray[Any]:
    """Numbers of about twice the views' size where there are many more: the rest is resized as light."""
    width, height = numbers.shape[1], numbers.shape[0]
    by = min(width // (2 * size[0]), height // (2 * size[1]))
    if by < 2:
        return numbers
    small = cv2.resize(numbers, (width // by, height // by), interpolation=cv2.INTER_AREA)
    return np.asarray(small).reshape(height // by, width // by, -1)


def _light(numbers: Pixels, space: Space, master: Pixels) -> Pixels:
    """Linear ROMM RGB of a file's numbers, at the master's size."""
    linear = linear_in(numbers, space, ROMM)
    return np.asarray(cv2.resize(linear, (master.shape[1], master.shape[0]), interpolation=cv2.INTER_AREA), dtype=np.float32)


def _measured(linear: Pixels, master: Pixels) -> tuple[float, float, float]:
    """Mean and 95th percentile of ΔE00, and the share of the master's chroma."""
    seen, meant = lab(np.ascontiguousarray(linear), ROMM), lab(np.ascontiguousarray(master), ROMM)
    off = difference(seen, meant)
    chroma = [float(np.hypot(v[..., 1], v[..., 2]).mean()) for v in (seen, meant)]
    return float(off.mean()), float(np.percentile(off, 95)), chroma[0] / chroma[1] if chroma[1] > 0.5 else 1.0


def _view(which: str, linear: Pixels, figures: tuple[float, float, float], words: str, warning: bool) -> View:
    return View(which, RECEIVERS[which], linear, *figures, words, warning)


def _managed(numbers: Pixels, space: Space, master: Pixels) -> View:
    linear = _light(numbers, space, master)
    figures = _measured(linear, master)
    if figures[0] < _SAME:
        words = "As you see it."
    elif figures[0] < 2 * _SAME:
        words = f"As you see it, but for compression and what {space.name} does not hold."
    else:
        words = "As far as its space goes: what it does not hold is cut off, or eased in."
    return _view("managed", linear, figures, words, False)


def _ignoring(numbers: Pixels, space: Space, model: str, master: Pixels) -> View:
    linear = _light(numbers, shown_for_now(model), master)
    figures = _measured(linear, master)
    if model == "cmyk":
        return _view("ignoring", linear, figures, "Wrong where tags are ignored: inks without a profile are any inks.", True)
    if _is_srgb(space):
        return _view("ignoring", linear, figures, "The same: without a tag, sRGB is assumed, and this file is sRGB.", False)
    managed = _light(numbers, space, master)
    return _view("ignoring", linear, figures, _by_chroma("where tags are ignored", space, linear, managed), True)


def _is_srgb(space: Space) -> bool:
    return isinstance(space, RGBSpace) and family_of(space) == "srgb"


def _by_chroma(where: str, space: Space, linear: Pixels, managed: Pixels) -> str:
    """What becomes of colours whose tag is lost, in words."""
    change = _measured(linear, managed)[2] - 1.0
    look = "dull" if change < -_CHROMA else "too strong" if change > _CHROMA else "off"
    return f"Looks {look} {where}: this file is {space.name}."


def _service(path: Path, space: Space, master: Pixels, service: Service) -> View:
    try:
        data = service.processed(path.read_bytes())
    except OSError as error:
        raise UnreadableFile(f"the file cannot be read ({error.strerror})", path) from error
    except VelkinError as error:
        return _view("service", np.ones_like(master), (0.0, 0.0, 1.0), f"Refused: {error.message}.", True)
    with Image.open(BytesIO(data)) as shown:
        numbers = as_float(np.asarray(shown))
        size = shown.size
    linear = _light(numbers, SRGB, master)
    figures = _measured(linear, master)
    lost = f"tag stripped, made {size[0]} × {size[1]} px."
    if _is_srgb(space):
        return _view("service", linear, figures, f"Right in spite of it: {lost}", False)
    managed = _light(as_float(_near(over_white(decode_picture(path)), (master.shape[1], master.shape[0]))), space, master)
    if space.model == "cmyk":
        return _view("service", linear, figures, f"Wrong: inks became RGB without their profile; {lost}", True)
    return _view("service", linear, figures, _by_chroma("there", space, linear, managed)[:-1] + f"; {lost}", True)


def _press(path: Path, master: Pixels) -> View:
    why = refusal(path)
    if why:
        return _view("press", np.ones_like(master), (0.0, 0.0, 1.0), f"Refused by the print room: {why}.", True)
    xyz = printed(inks_of(path, max(master.shape[:2])))
    size = (master.shape[1], master.shape[0])
    seen = np.asarray(
        cv2.resize((xyz @ ROMM.from_xyz.T).astype(np.float32), size, interpolation=cv2.INTER_AREA), dtype=np.float32
    )
    # the eye takes the paper for white: it is compared so
    relative = np.asarray((xyz / paper_white() * D50) @ ROMM.from_xyz.T, dtype=np.float32)
    figures = _measured(np.asarray(cv2.resize(relative, size, interpolation=cv2.INTER_AREA), dtype=np.float32), master)
    kept = f"{100 * figures[2]:.0f} % of the chroma stays on this paper."
    words = "Close to what you see." if figures[0] < 2.0 else f"Less than you see, which is the paper's doing: {kept}"
    return _view("press", seen, figures, words, figures[0] >= 6.0)
