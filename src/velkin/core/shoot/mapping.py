"""Dataclasses as plain data and back, for what a shoot file keeps as JSON; by cattrs."""

from __future__ import annotations

import json
from functools import lru_cache
from pathlib import Path
from typing import TYPE_CHECKING, Any, TypeVar

import numpy as np

from velkin.core.charts.judge import Verdict
from velkin.core.gamut.easing import Stroke

if TYPE_CHECKING:
    from cattrs import Converter

_T = TypeVar("_T")


@lru_cache(maxsize=1)
def _converter() -> Converter:
    from cattrs.gen import make_dict_unstructure_fn, override  # loaded with the first shoot, not with the window
    from cattrs.preconf.json import make_converter

    c = make_converter(detailed_validation=False)
    c.register_unstructure_hook(Verdict, lambda v: v.name)
    c.register_structure_hook(Verdict, lambda name, _: Verdict[name])
    c.register_unstructure_hook(Path, str)
    c.register_structure_hook(Path, lambda text, _: Path(text))
    c.register_unstructure_hook(np.ndarray, lambda a: a.tolist())

    def points(found: tuple[tuple[float, float, float], ...]) -> list[list[float]]:
        """Kept to a hundred-thousandth of the picture's side."""
        return [[round(x, 5), round(y, 5), round(p, 3)] for x, y, p in found]

    stroke = make_dict_unstructure_fn(Stroke, c, points=override(unstruct_hook=points))
    c.register_unstructure_hook(Stroke, stroke)
    return c


def prepare(*kinds: Any) -> None:
    """Have ready what is needed to read and write these kinds; it takes a moment where they are met for the first time."""
    c = _converter()
    for kind in kinds:
        c.get_structure_hook(kind)
        c.get_unstructure_hook(kind)


def to_data(value: Any, kind: Any = None) -> Any:
    """What JSON holds of a dataclass, or of a container of them (`kind` says which)."""
    return _converter().unstructure(value, unstructure_as=kind)


def to_text(value: Any, kind: Any = None) -> str:
    """A dataclass, or a container of them, as JSON."""
    return json.dumps(to_data(value, kind))


def from_data(data: Any, kind: type[_T]) -> _T:
    """What `to_data` gave. Raises KeyError, ValueError, TypeError, IndexError for what is no such thing."""
    found: _T = _converter().structure(data, kind)
    return found


def from_text(text: str, kind: type[_T]) -> _T:
    """What `to_text` gave; see `from_data`."""
    return from_data(json.loads(text), kind)


def list_from_text(text: str, kind: type[_T]) -> tuple[_T, ...]:
    """A row of dataclasses that `to_text` gave; most are empty, and to know that the window does not wait for cattrs to be loaded."""
    data = json.loads(text)
    return from_data(data, tuple[kind, ...]) if data != [] else ()  # type: ignore[valid-type]
