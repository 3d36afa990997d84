"""Files coming into a shoot: looked at, taken in, and recognised; what cannot be read is named, the rest comes in."""

from __future__ import annotations

import os
import threading
from collections.abc import Iterable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import QObject, pyqtSignal

from velkin.app.words import count
from velkin.core.cameraprofiles.matrices import built_in
from velkin.core.charts.reading_job import read_found
from velkin.core.charts.spot import spot_chart, spot_neutral
from velkin.core.errors import VelkinError
from velkin.core.files.names import is_picture_name
from velkin.core.files.raw import is_raw_name
from velkin.core.shoot.arrivals import Arrival, Spotted, look_at
from velkin.core.shoot.shoot import Shoot
from velkin.core.shoot.state import Frame

if TYPE_CHECKING:
    from velkin.app.jobs.desk import Desk


class Arriving(QObject):
    """Takes files in and looks for chart and neutral frames among them."""

    _looked = pyqtSignal(int, int)
    _searched = pyqtSignal(int, int)

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self._desk = desk
        self._cancel = threading.Event()
        self._looked.connect(lambda done, total: desk.progress.emit("Looking at files", done, total))
        self._searched.connect(lambda done, total: desk.progress.emit("Looking for charts", done, total))
        #: What was left out of the last arrival, with the reasons.
        self.left_out: list[str] = []

    def cancel(self) -> None:
        """Stop; what has come in stays."""
        self._cancel.set()

    def add_files(self, paths: Iterable[Path]) -> None:
        """Take raw files, finished pictures and folders of them into the shoot."""
        desk, model = self._desk, self._desk.model
        shoot = model.shoot
        if shoot is None:
            model.report("Make or open a shoot first (Shoot menu); files belong to a shoot.")
            return
        self._cancel.clear()

        def work() -> tuple[list[Arrival], list[str], bool]:
            files, reasons = files_in(paths)
            arrivals: list[Arrival] = []

            def one(path: Path) -> Arrival | str | None:
                if self._cancel.is_set():
                    return None
                try:
                    return look_at(path)
                except VelkinError as error:
                    return str(error)

            with ThreadPoolExecutor(max_workers=os.cpu_count() or 2) as pool:
                for number, result in enumerate(pool.map(one, files), start=1):
                    if isinstance(result, Arrival):
                        arrivals.append(result)
                    elif result is not None:
                        reasons.append(result)
                    self._looked.emit(number, len(files))
            return arrivals, reasons, self._cancel.is_set()

        def done(result: Any) -> None:
            desk.progress.emit("", 0, 0)
            if isinstance(result, VelkinError):
                model.report(result)
            elif model.shoot is shoot:
                self._take_in(shoot, *result)

        desk.progress.emit("Looking at files", 0, 1)
        desk.service.do(work, done)

    def _take_in(self, shoot: Shoot, arrivals: list[Arrival], reasons: list[str], cancelled: bool) -> None:
        model = self._desk.model
        try:
            added = shoot.add_frames(arrivals)
        except VelkinError as error:
            model.report(error)
            return
        self.left_out = reasons
        known = len(arrivals) - len(added)
        words = [f"{count(len(added), 'frame')} added."]
        held = sum(model.state.frames[f].held for f in added)
        if held:
            words.append(f"{count(held, 'frame')} held: a decision waits on the Source bench.")
        if known:
            words.append(f"{count(known, 'file')} already in the shoot.")
        if cancelled:
            words.append("Cancelled; the rest was left out.")
        if reasons:
            words.append(f"Left out {len(reasons)}: " + "; ".join(reasons[:2]) + ("; …" if len(reasons) > 2 else ""))
            if len(reasons) > 2:
                words.append("Shoot ▸ What was left out lists them all.")
        if added:
            model.select(added[0])
        model.changes()
        (model.problem if reasons else model.notice).emit(" ".join(words))
        self.spot(tuple(added))

    def spot(self, frames: tuple[int, ...]) -> None:
        """Look for chart frames and frames of a neutral card, mark them and keep what was read; one undoable step."""
        desk, model = self._desk, self._desk.model
        shoot = model.shoot
        if shoot is None or not frames:
            return
        self._cancel.clear()
        wanted: list[Frame] = [
            model.state.frames[f] for f in frames if model.state.frames[f].role == "subject" and model.state.frames[f].is_raw
        ]
        charts = list(model.state.charts.values())

        def one(frame: Frame) -> Spotted | None:
            if self._cancel.is_set():
                return None
            try:
                image = desk.service.half(frame.path)
                found = spot_chart(image, charts)
                if found is not None:
                    return Spotted("chart", read_found(image, replace(found, corners=found.corners * 2.0), 0.5))
                neutral = spot_neutral(image, built_in(frame.raw), frame.raw.as_shot)
                return None if neutral is None else Spotted("neutral", neutral=neutral)
            except VelkinError:
                return None  # the viewer says it when the frame is shown

        def work() -> dict[int, Spotted]:
            spotted = {}
            for number, frame in enumerate(wanted, start=1):
                result = one(frame)
                if result is not None:
                    spotted[frame.id] = result
                self._searched.emit(number, len(wanted))
            return spotted

        def done(result: Any) -> None:
            desk.progress.emit("", 0, 0)
            if isinstance(result, VelkinError) or model.shoot is not shoot or not result:
                return
            if desk.command(lambda s: s.mark_spotted(result)):
                charts_found = sum(s.role == "chart" for s in result.values())
                parts = [
                    count(n, f"{kind} frame")
                    for n, kind in ((charts_found, "chart"), (len(result) - charts_found, "neutral"))
                    if n
                ]
                model.notice.emit("Recognised and marked: " + " and ".join(parts) + ". Ctrl+Z takes the marks back.")

        desk.progress.emit("Looking for charts", 0, max(len(wanted), 1))
        desk.service.do(work, done)


def files_in(paths: Iterable[Path]) -> tuple[list[Path], list[str]]:
    """Raw files and finished pictures among paths and inside folders (not through links), and why others were left out."""
    files: list[Path] = []
    reasons: list[str] = []
    for path in paths:
        if path.is_dir():
            for root, folders, names in os.walk(path):  # links are not followed, so that loops end
                folders.sort()
                inside = (Path(root) / n for n in sorted(names) if not n.startswith("."))
                files += [p for p in inside if (is_raw_name(p) or is_picture_name(p)) and p.is_file()]
        elif is_raw_name(path) or is_picture_name(path):
            files.append(path)
        else:
            reasons.append(f"{path.name}: neither a raw file nor a picture that Velkin reads")
    return files, reasons
