"""The support room: how much of a picture no patch of the light's charts vouches for, where, and which colours are missing in the chart."""

from __future__ import annotations

import math

from PyQt6.QtWidgets import QVBoxLayout

from velkin.app.context import Context
from velkin.app.jobs.support import LightVouched, Vouched
from velkin.app.model.places import Page, Place
from velkin.app.rooms.room import Room
from velkin.app.widgets.change_map import ChangeMap
from velkin.app.widgets.parts import Bench, Elided, Facts, Figure, button, soft
from velkin.app.words import count, localised, signed, whole_percent
from velkin.core.cameraprofiles.report import hue_name
from velkin.core.charts.definition import Chart
from velkin.core.errors import VelkinError

#: Below this chroma a colour is called a grey.
_GREY = 12.0


class SupportRoom(Room):
    """Takes the place of viewer and bench."""

    page = Page.SUPPORT

    def __init__(self, context: Context) -> None:
        super().__init__(context, "Support")
        self._which = Elided()
        self.head.addWidget(self._which, 1)
        self.add_back()
        self.map = ChangeMap("What no patch vouches for", "just beyond the patches", "far beyond")
        main = QVBoxLayout()
        main.addWidget(self.map, 1)
        bench = Bench("Support")
        self.figure = Figure()
        bench.column.addWidget(self.figure)
        self.facts = Facts()
        bench.column.addWidget(self.facts)
        bench.section("Colours that the chart lacks")
        self.missing = Facts(76)
        bench.column.addWidget(self.missing)
        self._hint = soft(
            "Patches of these colours, measured, in a chart of your own would let it vouch for them. The simulator dyes and measures some."
        )
        bench.column.addWidget(self._hint)
        bench.end()
        self.make = button(
            "Make a chart of them…", self._make_chart, True, "Samples of these colours over a row of greys (simulated)"
        )
        bench.foot.addWidget(self.make)
        self._bench = bench
        self.lay_out(main, bench)

    def takes(self, frame: int) -> bool:
        """Any raw frame can be asked about."""
        return self._model.state.frames[frame].is_raw

    def left_behind(self) -> None:
        """Nobody waits for it any more."""
        self._jobs.support.forget()

    def enter(self, place: Place) -> None:
        """Measure the frame in the viewer."""
        frame = self._model.raw_frame
        if frame is None:
            return
        self._which.setText(frame.name)
        self.figure.show_value("", "Measuring …")
        self.facts.show_rows([])
        self.missing.show_rows([])
        self._hint.hide()
        self._found: Vouched | None = None
        self.make.setEnabled(False)
        self.map.show_map(None, "Measuring …")
        self._bench.sentence.setText("A profile is sure of colours among the patches, and guesses beyond them.")
        self._jobs.support.measure(frame.id, self._show)

    def _make_chart(self) -> None:
        """A chart of samples of the colours that are missing, in the chart editor, to be kept there."""
        found, frame = self._found, self._model.frame
        if found is not None and frame is not None:
            wanted = [lab for lab, _ in found.missing]
            self._jobs.charts.sample_chart(wanted, f"Samples for {frame.name}", self._edit)

    def _edit(self, chart: Chart) -> None:
        if self.isVisible():
            self._model.places.go(Page.CHART_EDITOR, None, chart)

    def _show(self, found: Vouched | VelkinError) -> None:
        if not self.isVisible():
            return
        if isinstance(found, VelkinError):
            words = found.message[:1].upper() + found.message[1:] + "."
            self.figure.show_value("", words)
            self.map.show_map(None, words)
            return
        if found.frame != self._model.current:
            return
        number = whole_percent(found.share)
        words = "of this picture is vouched for by no patch"
        self.figure.show_value(number, words)
        self._by = ("By", ", ".join(found.charts))
        self.facts.show_rows([self._by, ("This light", "measuring …")])
        self._jobs.support.measure_light(found.frame, lambda light: self._show_light(found.frame, light))
        self.missing.show_rows(
            [(_name(lab), _lab_words(lab), localised(f"{100 * share:.1f} %")) for lab, share in found.missing]
        )
        self._hint.setVisible(bool(found.missing))
        self._found = found
        self.make.setEnabled(bool(found.missing))
        self.map.show_map(found.map, f"{number} {words}")

    def _show_light(self, frame: int, light: LightVouched | VelkinError) -> None:
        if not self.isVisible() or frame != self._model.current:
            return
        if isinstance(light, VelkinError):
            self.facts.show_rows([self._by, ("This light", light.message)])
            return
        name, most = light.most
        mean = ("This light", f"{whole_percent(light.share)} on average of {count(light.frames, 'frame')}")
        self.facts.show_rows([self._by, mean, ("Most", f"{whole_percent(most)} in {name}")])


def _name(lab: tuple[float, float, float]) -> str:
    chroma, angle = math.hypot(lab[1], lab[2]), math.degrees(math.atan2(lab[2], lab[1]))
    return "greys" if chroma < _GREY else hue_name(angle)


def _lab_words(lab: tuple[float, float, float]) -> str:
    return "Lab " + "  ".join(signed(v, 0) for v in lab)
