"""Camera, for finished pictures: no camera profile is at work; what their numbers were given instead."""

from __future__ import annotations

from velkin.app.model.shoot_model import ShootModel
from velkin.app.widgets.parts import Bench, Facts, soft, state_label
from velkin.app.words import ASSIGN
from velkin.core.stages.steps import Assign


class PictureBench(Bench):
    """Stands in for the Camera bench while a finished picture is shown."""

    def __init__(self, model: ShootModel) -> None:
        super().__init__("Camera")
        self._model = model
        self._state = state_label()
        self.column.addWidget(self._state)
        self.column.addWidget(
            soft("A finished picture was rendered already: charts, white balance and camera profiles are for raw frames.")
        )
        self.section("What its numbers mean")
        self._facts = Facts()
        self.column.addWidget(self._facts)
        self.column.addWidget(
            soft(
                "A chart in a finished picture can be read too: Chart \u25b8 Fit on a finished picture\u2026 makes a profile that mends it."
            )
        )
        self.end()
        self.follow(model)

    def refresh(self) -> None:
        """Follow the frame in the viewer."""
        frame = self._model.frame
        if frame is None or frame.is_raw:
            return
        path = self._model.state.path(frame.id)
        assigned = next((s.space.name for s in path.steps if isinstance(s, Assign)), "")
        self._state.setText("Already rendered")
        tag = path.start.name if path.source.known else "nothing known"
        self._facts.show_rows([("By its tag", tag), ("Assigned here", assigned or "nothing")])
        if path.known:
            self.sentence.setText(
                f"{path.steps[0].space.name if assigned else path.start.name}: {ASSIGN if assigned else 'nothing was assigned here'}."
            )
        else:
            self.sentence.setText("Assign a space on the Source bench.")
