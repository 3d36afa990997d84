"""A light that moves, on the Camera bench: how far it went, which frames are bracketed, following it or holding one white."""

from __future__ import annotations

from PyQt6.QtWidgets import QVBoxLayout, QWidget

from velkin.app.context import Context
from velkin.app.widgets.drift_plot import DriftPlot
from velkin.app.widgets.parts import button, row_of, soft
from velkin.app.words import count, localised
from velkin.core.shoot.frame import Frame
from velkin.core.shoot.moving import IN_TIME, Drift


class DriftSection(QWidget):
    """There while the light of the frame in the viewer was measured more than once."""

    def __init__(self, context: Context) -> None:
        super().__init__()
        self._jobs = context.jobs
        self._model = context.model
        self._frame: Frame | None = None
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(8)
        self.plot = DriftPlot()
        column.addWidget(self.plot)
        self.words = soft()
        column.addWidget(self.words)
        self.follow = button(
            "Follow it in time",
            self._follow,
            tip="Balance and profile between the measured frames, by capture time; nothing beyond them",
        )
        self.hold = button("Hold one white", self._hold, tip="The measured white next to this frame, for the whole light")
        column.addWidget(row_of(self.follow, self.hold))

    def show_frame(self, frame: Frame | None) -> None:
        """Follow the frame in the viewer."""
        self._frame = frame
        state = self._model.state if frame is not None else None
        drift = state.drift(frame.light) if state is not None and frame is not None else None
        self.setVisible(drift is not None)
        if drift is None or state is None or frame is None:
            return
        at = {f: t.timestamp() for f in drift.moments if (t := state.frames[f].facts.exif.taken) is not None}
        self.plot.show_drift(drift, at, frame.id)
        following = [f for f in drift.moments if state.frames[f].balance_from == IN_TIME]
        held = drift.moments[frame.id].first.name if frame.id in drift.moments else ""
        words = _in_words(drift, [state.frames[f].name for f in drift.loose], len(following), held)
        self.words.setText(words)
        self.plot.setAccessibleDescription(words)
        self.follow.setEnabled(len(following) < len(drift.moments))
        self.hold.setEnabled(bool(held))

    def _frames(self) -> tuple[int, ...]:
        assert self._frame is not None
        return self._model.state.light(self._frame.light).frames

    def _follow(self) -> None:
        if self._frame is not None:
            self._jobs.camera.follow_in_time(self._frames(), self._frame.light)

    def _hold(self) -> None:
        frame = self._frame
        drift = self._model.state.drift(frame.light) if frame is not None else None
        if frame is not None and drift is not None and frame.id in drift.moments:
            self._jobs.camera.hold_one(self._frames(), drift.moments[frame.id].first, frame.light)


def _in_words(drift: Drift, loose: list[str], following: int, held: str) -> str:
    c = drift.cost
    said = [
        f"Measured {count(len(drift.anchors), 'time')}: it moved by {drift.mired:.0f} mired and {1000 * drift.duv:.1f} thousandths of Duv.",
        f"One white for all would cost a grey ΔE {c.grey:.1f}, skin {c.skin:.1f}, the chart's colours {c.chart:.1f}, where it is furthest off.",
    ]
    bracketed = len(drift.moments) - len(loose)
    said.append(
        f"{count(bracketed, 'frame')} lie between measured ones." if bracketed != 1 else "1 frame lies between measured ones."
    )
    if loose:
        names = ", ".join(loose[:3]) + (" …" if len(loose) > 3 else "")
        verb = "do" if len(loose) > 1 else "does"
        said.append(f"{names} {verb} not: the nearest white holds there.")
    said.append(
        f"{count(following, 'frame')} follow it."
        if following > 1
        else "1 frame follows it."
        if following
        else "No frame follows it yet."
    )
    if held:
        said.append(f"One white held for all would be that of {held}.")
    return localised(" ".join(said))
