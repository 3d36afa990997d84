"""Jobs with charts: finding, reading, snapping, fitting, averaging, measuring, printing."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from datetime import datetime
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import pyqtSignal

from velkin.app.jobs.fits import Fits
from velkin.app.jobs.lanes import Job, Lane
from velkin.app.jobs.work import Ground, Work, about
from velkin.core.cameraprofiles.profile import CameraProfile
from velkin.core.charts.definition import Chart
from velkin.core.charts.find import FoundChart
from velkin.core.charts.judge import judge, refuse_unusable
from velkin.core.charts.read import Choices
from velkin.core.charts.reading_job import JudgedReading, charts_in, read_at, read_found
from velkin.core.charts.refining import snap as snap_corners
from velkin.core.errors import VelkinError
from velkin.core.files.safely import refuse_output, write_whole

Floats = NDArray[np.float64]


class Charts(Work):
    """The chart jobs of the window."""

    read_ready = pyqtSignal(int, object)  # frame, JudgedReading or VelkinError
    found = pyqtSignal(int, object)  # frame, list of FoundChart: every chart that lies in it
    fit_ready = pyqtSignal(int, object)  # frame, CameraProfile or VelkinError

    def __init__(self, ground: Ground, fits: Fits) -> None:
        super().__init__(ground)
        self._fits = fits

    def _do(self, frame: int, work: Callable[[], Any], done: Callable[[Any], None], name: str) -> None:
        """Work that the hand waits for, on one frame; errors go to `done`, naming its file."""
        source = self._model.state.frames[frame].path
        self._lanes.start(Lane.HAND, lambda job: work(), lambda result: done(about(result, source)), name=name)

    def find(self, frame: int, chart: Chart) -> None:
        """Find every chart in a frame and read the surest; they come as `found` and `read_ready`."""
        source = self._model.state.frames[frame].path

        def work() -> tuple[list[FoundChart], JudgedReading]:
            image = self._sources.half(source)
            charts = charts_in(image, chart, 0.5)
            return charts, read_found(image, charts[0], 0.5)

        def done(result: Any) -> None:
            if isinstance(result, VelkinError):
                self.read_ready.emit(frame, result)
                return
            self.found.emit(frame, result[0])
            self.read_ready.emit(frame, result[1])

        self._do(frame, work, done, "Looking for the chart")

    def read(
        self, frame: int, chart: Chart, corners: Floats, choices: Choices, grid_error: float | None = None, snap: bool = False
    ) -> None:
        """Read the chart at corners, with `snap` after moving them to the patches' real edges; it comes as `read_ready`."""
        source = self._model.state.frames[frame].path

        def work() -> JudgedReading:
            image = self._sources.half(source)
            at, error = corners, grid_error
            if snap:
                snapped, error = snap_corners(image, corners * 0.5, chart)
                at = snapped * 2.0
                if not np.isfinite(error):
                    raise VelkinError("no edges of patches are near enough to snap to; drag the corners closer first")
            return read_at(image, at, chart, scale=0.5, choices=choices, grid_error=error)

        self._do(frame, work, lambda result: self.read_ready.emit(frame, result), "Reading the chart")

    def fit(self, frame: int, kept: JudgedReading) -> None:
        """Fit a profile from a reading; it comes as `fit_ready` and is kept only by `Camera.keep_profile`."""
        request, used = self._fits.plain_request(frame, kept), self._model.state.evened(frame, kept)

        def work() -> CameraProfile:
            refuse_unusable(used.judgements)
            from velkin.core.cameraprofiles.fit import fit

            return self._fits.stamp(fit(request).of("auto"))

        self._do(frame, work, lambda result: self.fit_ready.emit(frame, result), "Fitting")

    def others(self, frame: int) -> list[JudgedReading]:
        """The readings of the same chart in this frame's light that it can be averaged with."""
        state = self._model.state
        kept = state.readings.get(frame)
        if kept is None:
            return []
        members = [f for f in state.light_of(frame).frames if f != frame and f in state.readings]
        return [state.readings[f] for f in members if state.readings[f].chart.id == kept.chart.id]

    def average(self, frame: int) -> JudgedReading | None:
        """This frame's reading averaged with those of the same chart in its light; None where there is no other."""
        others = self.others(frame)
        if not others:
            return None
        kept = self._model.state.readings[frame]
        from velkin.core.charts.average import average_readings

        reading = average_readings([kept.reading, *(o.reading for o in others)])
        return replace(kept, reading=reading, judgements=judge(reading, kept.chart, kept.grid_error))

    def print_chart(self, chart: Chart, folder: Path) -> None:
        """Write a chart as PDF and 16-bit TIFF with its definition into a folder; nothing that is there is replaced."""
        from velkin.core.charts.chart_file import chart_to_json
        from velkin.core.charts.print_chart import chart_pdf, chart_tiff

        def work(job: Job) -> list[str]:
            parts = ((".pdf", chart_pdf(chart)), (".tif", chart_tiff(chart)), (".json", chart_to_json(chart).encode()))
            outs = [folder / f"{chart.id} to print{suffix}" for suffix, _ in parts]
            for out in outs:
                refuse_output(out, [], False)
            for out, (_, data) in zip(outs, parts, strict=True):
                write_whole(out, data, False)
            return [out.name for out in outs]

        def done(names: list[str]) -> None:
            self._model.say(f"Written to {folder.name}: {', '.join(names)}. Print without scaling, then measure it.")

        self._aside(Lane.HAND, work, done, name="Writing the chart")

    def sample_chart(self, wanted: list[tuple[float, float, float]], name: str, then: Callable[[Chart], None]) -> None:
        """Let the simulator dye samples of colours and its instrument measure them, as a chart with a row of greys."""

        def work(job: Job) -> Chart:
            from velkin.sim.samples import sample_chart

            return sample_chart(wanted, name)

        self._aside(Lane.HAND, work, then, name="Dyeing and measuring samples")

    def measure_print(self, chart: Chart, out: Path) -> None:
        """Let the stand-in instrument measure a print of a chart into a CGATS file, and keep the measured chart in the shoot."""
        from velkin.core.charts.chart_file import chart_to_cgats
        from velkin.sim.printing import measured_print

        def work(job: Job) -> Chart:
            measured = measured_print(chart, out.stem)
            refuse_output(out, [], True)
            created = datetime.now().astimezone().isoformat(timespec="seconds")
            write_whole(out, chart_to_cgats(measured, "Velkin stand-in instrument", created).encode(), True)
            return measured

        def done(measured: Chart) -> None:
            if self._model.shoot is None or self._command(lambda s: s.camera.keep_chart(measured)):
                self._model.say(f"{measured.name} was measured into {out.name} (simulated), and can be chosen as a chart.")

        self._aside(Lane.HAND, work, done, name="Measuring the print")
