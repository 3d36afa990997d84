"""Chart definitions as files: opened, saved, printed, measured by the stand-in, and pictures of charts to fit on."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from velkin.app.actions.dialogs import Dialogs
from velkin.app.context import Context
from velkin.core.charts.built_in import iso24, velkin48
from velkin.core.charts.chart_file import load_chart, save_text
from velkin.core.charts.definition import Chart
from velkin.core.errors import BadChart, VelkinError
from velkin.core.files.safely import write_whole


class ChartActions:
    """Actions on chart files; `opened` is told of a chart that was read from one."""

    def __init__(self, context: Context, dialogs: Dialogs, opened: Callable[[Chart], None]) -> None:
        self._jobs = context.jobs
        self._model = context.model
        self._dialogs = dialogs
        self._opened = opened

    def _which(self, title: str) -> Chart | None:
        charts = [iso24(), velkin48()] if self._model.shoot is None else list(self._model.state.charts.values())
        names = [c.name for c in charts]
        number = self._dialogs.one_of(title, "Chart", names, names.index(velkin48().name))
        return charts[number] if number is not None else None

    def open_file(self) -> None:
        """Ask for a chart definition and keep it in the shoot."""
        kinds = "Chart files (*.json *.txt *.cgats *.it8 *.csv);;All files (*)"
        path = self._dialogs.open_file("A chart file", kinds)
        if path is not None and self._model.shoot is not None:
            self.read_file(path)

    def read_file(self, path: Path, grid: tuple[int, int] | None = None) -> None:
        """Read a chart file; where it does not say how its patches are arranged, ask."""
        try:
            chart = load_chart(path, grid)
        except BadChart as error:
            if grid is None and "columns x rows" in error.message:
                typed = self._dialogs.text("How are the patches arranged", "Columns x rows, such as 6x4", "6x4")
                parts = typed.lower().replace("×", "x").split("x")
                if len(parts) == 2 and all(p.strip().isdigit() for p in parts):
                    self.read_file(path, (int(parts[0]), int(parts[1])))
                return
            self._model.report(error)
            return
        except VelkinError as error:
            self._model.report(error)
            return
        if self._jobs.command(lambda shoot: shoot.camera.keep_chart(chart)):
            self._opened(chart)

    def save(self, chart: Chart) -> bool:
        """Ask where to write a chart definition; whether it was written."""
        kinds = "Velkin chart (*.json);;CGATS text (*.txt);;Table (*.csv)"
        out = self._dialogs.save_file("Save the chart", f"{chart.id}.json", kinds)
        if out is None:
            return False
        try:
            write_whole(out, save_text(chart, out).encode(), True)
        except VelkinError as error:
            self._model.report(error)
            return False
        self._model.say(f"{out.name} was written.")
        return True

    def print_chart(self) -> None:
        """Ask which chart to print and where its files go."""
        chart = self._which("Print a chart")
        folder = self._dialogs.folder("Where the files to print go") if chart is not None else None
        if chart is not None and folder is not None:
            self._jobs.charts.print_chart(chart, folder)

    def measure_print(self) -> None:
        """Ask which print the stand-in instrument measures and where its numbers go."""
        chart = self._which("Measure a print with the stand-in instrument")
        if chart is not None:
            out = self._dialogs.save_file("Where the measurement goes", f"{chart.id} measured.txt", "CGATS text (*.txt)")
            if out is not None:
                self._jobs.charts.measure_print(chart, out)

    def fit_picture(self) -> None:
        """Ask for a finished picture of a chart to fit on."""
        path = self._dialogs.open_file("A finished picture of a chart", "Pictures (*.tif *.tiff *.jpg *.jpeg *.png)")
        chart = self._which("Which chart lies in it") if path is not None else None
        if path is not None and chart is not None:
            self._jobs.fits.fit_picture(path, chart)
