"""What has to be asked: files, folders and names, each with the system's own dialog."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from pathlib import Path

from PyQt6.QtCore import QSettings
from PyQt6.QtWidgets import QFileDialog, QInputDialog, QWidget

from velkin.app.jobs.desk import Desk
from velkin.core.cameraprofiles.shelf import file_name
from velkin.core.charts.built_in import iso24, velkin48
from velkin.core.charts.chart_file import load_chart, save_text
from velkin.core.charts.definition import Chart
from velkin.core.errors import BadChart, VelkinError
from velkin.core.files.names import PICTURES
from velkin.core.files.raw import SUFFIXES
from velkin.core.files.safely import refuse_output, write_whole
from velkin.core.shoot.lights import light_words


class Asking:
    """Asks, remembers the folder, and gives the answer to the desk."""

    def __init__(self, window: QWidget, desk: Desk, settings: QSettings) -> None:
        self._window = window
        self._desk = desk
        self._model = desk.model
        self._settings = settings
        #: What happens with a chart that was opened.
        self.chart_opened: Callable[[Chart], None] = lambda chart: None

    def _folder(self) -> str:
        return str(self._settings.value("folder", str(Path.home())))

    def _remember(self, path: str) -> None:
        self._settings.setValue("folder", str(Path(path).parent))

    def new(self) -> None:
        """Ask for a new shoot's name and place."""
        chosen, _ = QFileDialog.getSaveFileName(
            self._window, "New shoot", str(Path(self._folder()) / "Untitled.velkin"), "Shoots (*.velkin)"
        )
        if chosen:
            self._remember(chosen)
            self._desk.new_shoot(Path(chosen))

    def open(self) -> None:
        """Ask for a shoot to open."""
        chosen, _ = QFileDialog.getOpenFileName(self._window, "Open a shoot", self._folder(), "Shoots (*.velkin)")
        if chosen:
            self._remember(chosen)
            self._desk.open_shoot(Path(chosen))

    def files(self) -> None:
        """Ask for files to add."""

        def pattern(suffixes: Iterable[str]) -> str:
            return " ".join(f"*{s} *{s.upper()}" for s in sorted(suffixes))

        kinds = f"Raw files and pictures ({pattern(SUFFIXES | PICTURES)});;Raw files ({pattern(SUFFIXES)});;Pictures ({pattern(PICTURES)})"
        chosen, _ = QFileDialog.getOpenFileNames(self._window, "Add files", self._folder(), kinds)
        if chosen:
            self._remember(chosen[0])
            self._desk.arriving.add_files([Path(c) for c in chosen])

    def folder(self) -> None:
        """Ask for a folder of files to add."""
        chosen = QFileDialog.getExistingDirectory(self._window, "Add a folder", self._folder())
        if chosen:
            self._desk.arriving.add_files([Path(chosen)])

    def light_name(self) -> None:
        """Ask for a light's new name."""
        frame = self._model.frame
        if frame is None:
            return
        light = self._model.state.light_of(frame.id)
        name, ok = QInputDialog.getText(self._window, "Rename this light", "Name", text=light.name)
        if ok and name.strip():
            self._desk.command(lambda s: s.rename_light(light.id, name.strip()))

    def light_pattern(self) -> None:
        """Ask for the pattern that lights are named by."""
        if self._model.shoot is None:
            return
        pattern, ok = QInputDialog.getText(
            self._window,
            "Name all lights by a pattern",
            "Text and {camera}, {lens}, {light}, {date}; parts stand between  · ",
            text=self._model.state.light_pattern,
        )
        if ok and pattern.strip():
            words = {
                k.id: light_words(white.kelvin) for k in self._model.state.lights if (white := self._model.state.white_of(k.id))
            }
            self._desk.command(lambda s: s.name_lights(pattern.strip(), words))

    def _which_chart(self, title: str) -> Chart | None:
        charts = [iso24(), velkin48()] if self._model.shoot is None else list(self._model.state.charts.values())
        names = [c.name for c in charts]
        name, ok = QInputDialog.getItem(self._window, title, "Chart", names, names.index(velkin48().name), False)
        return charts[names.index(name)] if ok else None

    def print_chart(self) -> None:
        """Ask which chart to print and where its files go."""
        chart = self._which_chart("Print a chart")
        folder = QFileDialog.getExistingDirectory(self._window, "Where the files to print go", self._folder()) if chart else ""
        if chart is not None and folder:
            self._desk.charting.print_chart(chart, Path(folder))

    def measure_print(self) -> None:
        """Ask which print the stand-in instrument measures and where its numbers go."""
        chart = self._which_chart("Measure a print with the stand-in instrument")
        if chart is None:
            return
        chosen, _ = QFileDialog.getSaveFileName(
            self._window,
            "Where the measurement goes",
            str(Path(self._folder()) / f"{chart.id} measured.txt"),
            "CGATS text (*.txt)",
        )
        if chosen:
            self._remember(chosen)
            self._desk.charting.measure_print(chart, Path(chosen))

    def source(self) -> None:
        """Ask where a missing source lies now."""
        frame = self._model.frame
        if frame is None:
            return
        chosen, _ = QFileDialog.getOpenFileName(self._window, f"Where is {frame.path.name}", self._folder())
        if chosen:
            self._desk.command(lambda s: s.relocate(frame.id, Path(chosen)))

    def chart_file(self) -> None:
        """Ask for a chart definition, keep it in the shoot and, in the chart room, read that chart."""
        chosen, _ = QFileDialog.getOpenFileName(
            self._window, "A chart file", self._folder(), "Chart files (*.json *.txt *.cgats *.it8 *.csv);;All files (*)"
        )
        if chosen and self._model.shoot is not None:
            self._remember(chosen)
            self.open_chart_file(Path(chosen))

    def save_chart(self, chart: Chart) -> None:
        """Ask where to write a chart definition; replacing was confirmed by the dialog."""
        chosen, _ = QFileDialog.getSaveFileName(
            self._window,
            "Save the chart",
            str(Path(self._folder()) / f"{chart.id}.json"),
            "Velkin chart (*.json);;CGATS text (*.txt);;Table (*.csv)",
        )
        if not chosen:
            return
        self._remember(chosen)
        out = Path(chosen)
        try:
            text = save_text(chart, out)
            refuse_output(out, [], True)
            write_whole(out, text.encode(), True)
        except VelkinError as error:
            self._model.report(error)
            return
        self._model.notice.emit(f"{out.name} was written.")

    def open_chart_file(self, path: Path, grid: tuple[int, int] | None = None) -> None:
        """Read a chart file; where it does not say how its patches are arranged, ask."""
        try:
            chart = load_chart(path, grid)
        except BadChart as error:
            if grid is None and "columns x rows" in error.message:
                text, ok = QInputDialog.getText(
                    self._window, "How are the patches arranged", "Columns x rows, such as 6x4", text="6x4"
                )
                parts = text.lower().replace("×", "x").split("x")
                if ok and len(parts) == 2 and all(p.strip().isdigit() for p in parts):
                    self.open_chart_file(path, (int(parts[0]), int(parts[1])))
                return
            self._model.report(error)
            return
        except VelkinError as error:
            self._model.report(error)
            return
        if self._desk.command(lambda shoot: shoot.keep_chart(chart)):
            self.chart_opened(chart)

    def profile(self) -> None:
        """Ask for a profile file to give to the chosen frames."""
        chosen, _ = QFileDialog.getOpenFileName(
            self._window, "Import a profile", self._folder(), "Camera profiles (*.dcp *.icc *.icm *.json)"
        )
        if chosen and self._model.shoot is not None:
            self._remember(chosen)
            self._desk.import_profile(Path(chosen))

    def profiles(self) -> None:
        """Ask for profile files to bring onto the shelf."""
        chosen, _ = QFileDialog.getOpenFileNames(
            self._window, "Bring profiles onto the shelf", self._folder(), "Camera profiles (*.dcp *.icc *.icm *.json)"
        )
        if chosen:
            self._remember(chosen[0])
            self._desk.shelving.bring([Path(c) for c in chosen])

    def shelf_folder(self) -> None:
        """Ask which folder the shelf is kept in."""
        chosen = QFileDialog.getExistingDirectory(
            self._window, "Where the shelf is kept", str(self._desk.shelving.shelf.folder)
        )
        if chosen:
            self._settings.setValue("shelf", chosen)
            self._desk.shelving.use(Path(chosen))

    def spectrum(self) -> Path | None:
        """Ask for a light's measured spectrum."""
        chosen, _ = QFileDialog.getOpenFileName(
            self._window, "The light's spectrum: wavelength in nm and power", self._folder(), "Tables (*.csv *.txt)"
        )
        if not chosen:
            return None
        self._remember(chosen)
        return Path(chosen)

    def csv(self, name: str, text: str) -> None:
        """Ask where a table goes; replacing was confirmed by the dialog."""
        chosen, _ = QFileDialog.getSaveFileName(
            self._window, "Save the report", str(Path(self._folder()) / f"{file_name(name)}.csv"), "Tables (*.csv)"
        )
        if not chosen:
            return
        self._remember(chosen)
        try:
            write_whole(Path(chosen), text.encode(), True)
        except VelkinError as error:
            self._model.report(error)
            return
        self._model.notice.emit(f"{Path(chosen).name} was written.")

    def finished_picture(self) -> None:
        """Ask for a finished picture of a chart to fit on."""
        chosen, _ = QFileDialog.getOpenFileName(
            self._window, "A finished picture of a chart", self._folder(), "Pictures (*.tif *.tiff *.jpg *.jpeg *.png)"
        )
        if not chosen:
            return
        self._remember(chosen)
        chart = self._which_chart("Which chart lies in it")
        if chart is not None:
            self._desk.fitting.fit_picture(Path(chosen), chart)
