"""Start: what can be done while no shoot is open."""

from __future__ import annotations

from collections.abc import Callable

from velkin.app.widgets.parts import Bench, button, soft, state_label


class StartBench(Bench):
    """New shoot, open a shoot, open the demo."""

    def __init__(self, new: Callable[[], object], open_one: Callable[[], object], demo: Callable[[], object]) -> None:
        super().__init__("Start")
        state = state_label()
        state.setText("No shoot is open")
        self.column.addWidget(state)
        self.column.addWidget(
            soft("A shoot keeps frames, lights, profiles and decisions in one file. Source files are never written.")
        )
        self.end()
        self.sentence.setText("The demo is a simulated shoot of dyed wool with a chart frame in each of two lights.")
        self.foot.addWidget(button("New shoot…", new, primary=True))
        self.foot.addWidget(button("Open a shoot…", open_one))
        self.demo_button = button("Open the demo", demo)
        self.foot.addWidget(self.demo_button)
