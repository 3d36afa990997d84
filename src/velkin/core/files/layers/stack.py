"""The stack of a layered picture, as OpenRaster's ``stack.xml`` describes it (freedesktop.org, layer stack specification)."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path
from typing import TYPE_CHECKING

from velkin.core.errors import UnreadableFile
from velkin.core.files.layers.operators import BY_NAME, Operator
from velkin.core.files.limits import check_size

if TYPE_CHECKING:
    from xml.etree.ElementTree import Element

#: Deeper stacks, and more layers, are refused.
_DEEPEST, _MOST = 64, 10_000


@dataclass(frozen=True)
class Layer:
    """A layer.

    Attributes
    ----------
    name : str
    source : str
        The name of its part.
    x, y : int
        Where its top left pixel lies on the canvas.
    opacity : float
        0..1.
    visible : bool
    operator : Operator
    """

    name: str
    source: str
    x: int = 0
    y: int = 0
    opacity: float = 1.0
    visible: bool = True
    operator: Operator = Operator.SRC_OVER

    @property
    def computes_with_below(self) -> bool:
        """Whether its own settings mix it with what lies below; a soft edge or a hole in it does so too."""
        return self.opacity < 1 or self.operator is not Operator.SRC_OVER


@dataclass(frozen=True)
class Group:
    """A stack within the stack; its children lie from the bottom up.

    Attributes
    ----------
    isolated : bool
        Whether its layers are put together by themselves first, on nothing, before all of it is put on what lies below.
    """

    name: str = ""
    children: tuple[Layer | Group, ...] = ()
    opacity: float = 1.0
    visible: bool = True
    operator: Operator = Operator.SRC_OVER
    isolated: bool = True

    @property
    def computes_with_below(self) -> bool:
        """As of a layer."""
        return self.opacity < 1 or self.operator is not Operator.SRC_OVER


@dataclass(frozen=True)
class Stack:
    """A layered picture's description.

    Attributes
    ----------
    width, height : int
    root : Group
    ppi : (x, y) or None
    unknown : tuple of str
        What in it Velkin does not know, each in words, and what was done instead.
    """

    width: int
    height: int
    root: Group
    ppi: tuple[float, float] | None = None
    unknown: tuple[str, ...] = field(default=())

    def layers(self) -> list[Layer]:
        """All layers, from the bottom up, hidden ones too."""
        return [node for node, _depth in walk(self.root) if isinstance(node, Layer)]


def walk(group: Group, depth: int = 0) -> Iterator[tuple[Layer | Group, int]]:
    """What a group holds, from the bottom up, each group before its own, with its depth."""
    for child in group.children:
        yield child, depth
        if isinstance(child, Group):
            yield from walk(child, depth + 1)


@dataclass(frozen=True)
class LayerFacts:
    """A layer or group as it is told to a person.

    Attributes
    ----------
    name : str
    operator : str
        In words.
    opacity : float
    depth : int
        How many groups it lies in.
    group, visible : bool
    computes : bool
        Whether it computes with what lies below it, by its operator or its opacity.
    """

    name: str
    operator: str
    opacity: float
    depth: int = 0
    group: bool = False
    visible: bool = True
    computes: bool = False


def listed(stack: Stack) -> tuple[LayerFacts, ...]:
    """What is told of a stack, the topmost first, each group before its own; what lies in a hidden group is hidden."""

    def lines(group: Group, depth: int, seen: bool) -> Iterator[LayerFacts]:
        for node in reversed(group.children):
            visible = seen and node.visible
            inside = isinstance(node, Group)
            name = node.name or ("group" if isinstance(node, Group) else node.source)
            yield LayerFacts(
                name, node.operator.words, node.opacity, depth, inside, visible, visible and node.computes_with_below
            )
            if isinstance(node, Group):
                yield from lines(node, depth + 1, visible)

    return tuple(lines(stack.root, 0, True))


def read_stack(data: bytes, path: Path) -> Stack:
    """A stack from its description.

    Raises
    ------
    UnreadableFile
        When it is no well-formed description of a picture of sound size; document types, with which descriptions can be made to grow
        without end or to read other files, are refused.
    """
    from defusedxml.common import DefusedXmlException
    from defusedxml.ElementTree import ParseError, fromstring

    try:
        image = fromstring(data, forbid_dtd=True)
    except (ParseError, DefusedXmlException, ValueError, LookupError, RecursionError) as error:
        raise UnreadableFile(f"the description of its layers is damaged ({type(error).__name__})", path) from error
    reading = _Reading(path)
    try:
        width, height = int(image.get("w", "")), int(image.get("h", ""))
    except ValueError:
        raise UnreadableFile("the description of its layers does not say how large the picture is", path) from None
    check_size(width, height, path)
    stacks = [e for e in image if e.tag == "stack"]
    if image.tag != "image" or not stacks:
        raise UnreadableFile("the description of its layers holds no stack", path)
    root = Group(children=reading.children(stacks[0], 0))
    for more in stacks[1:]:
        reading.note(f"a second stack{_named(more)}", "it is left out")
    return Stack(width, height, root, _resolution(image), tuple(reading.unknown))


class _Reading:
    """Reads elements, and notes what it does not know."""

    def __init__(self, path: Path) -> None:
        self._path, self._count = path, 0
        self.unknown: list[str] = []

    def note(self, what: str, instead: str) -> None:
        words = f"{what}: {instead}"
        if words not in self.unknown:
            self.unknown.append(words)

    def children(self, element: Element, depth: int) -> tuple[Layer | Group, ...]:
        """From the bottom up; the description has the topmost first."""
        if depth > _DEEPEST:
            raise UnreadableFile(
                f"its layers lie in more than {_DEEPEST} groups within each other, which is refused", self._path
            )
        found: list[Layer | Group] = []
        for e in element:
            self._count += 1
            if self._count > _MOST:
                raise UnreadableFile(f"it has more than {_MOST} layers, which is refused", self._path)
            if e.tag == "layer":
                found.append(self._layer(e))
            elif e.tag == "stack":
                found.append(self._group(e, depth))
            elif isinstance(e.tag, str):
                self.note(f"a part of the stack called {e.tag.rpartition('}')[2]}{_named(e)}", "it is left out")
        return tuple(reversed(found))

    def _layer(self, e: Element) -> Layer:
        return Layer(
            e.get("name", ""),
            e.get("src", ""),
            self._whole(e, "x"),
            self._whole(e, "y"),
            self._opacity(e),
            e.get("visibility", "visible") != "hidden",
            self._operator(e),
        )

    def _group(self, e: Element, depth: int) -> Group:
        opacity, operator = self._opacity(e), self._operator(e)
        if self._whole(e, "x") or self._whole(e, "y"):
            self.note(f"an offset of the group{_named(e)}", "its layers lie where they say themselves")
        isolated = e.get("isolation", "auto") == "isolate" or opacity < 1 or operator is not Operator.SRC_OVER
        visible = e.get("visibility", "visible") != "hidden"
        return Group(e.get("name", ""), self.children(e, depth + 1), opacity, visible, operator, isolated)

    def _operator(self, e: Element) -> Operator:
        said = e.get("composite-op", Operator.SRC_OVER.svg)
        if said not in BY_NAME:
            self.note(f"the operator {said}{_named(e, ' of')}", "drawn as normal")
        return BY_NAME.get(said, Operator.SRC_OVER)

    def _opacity(self, e: Element) -> float:
        said = e.get("opacity", "1")
        try:
            value = float(said)
        except ValueError:
            value = math.nan
        if not 0 <= value <= 1:
            self.note(
                f"the opacity {said}{_named(e, ' of')}", "taken as the nearest from 0 to 1" if value == value else "taken as 1"
            )
        return min(max(value, 0.0), 1.0) if value == value else 1.0

    def _whole(self, e: Element, name: str) -> int:
        said = e.get(name, "0")
        try:
            value = float(said)
            at = round(value)
        except (ValueError, OverflowError):
            self.note(f"the place {name}={said}{_named(e, ' of')}", "taken as 0")
            return 0
        if at != value:
            self.note(f"the place {name}={said}{_named(e, ' of')}", "taken to the next whole pixel")
        return at


def _named(e: Element, before: str = "") -> str:
    name = e.get("name", "")
    return f"{before} “{name}”" if name else ""


def _resolution(image: Element) -> tuple[float, float] | None:
    try:
        x, y = float(image.get("xres", "")), float(image.get("yres", image.get("xres", "")))
    except ValueError:
        return None
    return (x, y) if 0 < x < 1e6 and 0 < y < 1e6 else None
