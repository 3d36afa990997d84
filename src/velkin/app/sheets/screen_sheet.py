"""The sheet about this screen: what pictures are drawn through, who says so, and choosing another profile for this monitor."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtWidgets import QComboBox, QFileDialog, QWidget

from velkin.app import theme
from velkin.app.jobs.screens import GENERIC, SYSTEM, Screens
from velkin.app.widgets.parts import Facts, Words, compact, soft, state_label
from velkin.app.widgets.sheet import Sheet
from velkin.core.icc.space import Space
from velkin.sim.demo import screen_files

_FILE = "file"


class ScreenSheet(Sheet):
    """Shows and chooses."""

    def __init__(self, screens: Screens, parent: QWidget | None = None) -> None:
        super().__init__("This screen", parent, width=440)
        self._screens = screens
        column = self.column
        self._name = state_label()
        column.addWidget(self._name)
        self._told = soft()
        column.addWidget(self._told)
        self.facts = Facts(120)
        column.addWidget(self.facts)
        self.box = compact(QComboBox())
        self.box.setAccessibleName("The profile of this screen")
        self.box.activated.connect(lambda _: self._chosen())
        label = Words("Draw pictures for")
        label.setFont(theme.font(13, 600))
        label.setBuddy(self.box)
        column.addWidget(label)
        column.addWidget(self.box)
        column.addWidget(
            soft(
                "Pictures are converted to this profile to be shown; files are never touched by it. A change is followed at once."
            )
        )
        self.only_close()
        screens.changed.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        """Show what is so."""
        now, chosen = self._screens.now, self._screens.chosen()
        self._name.setText(now.space.name)
        self._told.setText(now.problem or f"Monitor {self._screens.monitor or 'unnamed'}; {now.told_by}.")
        self.facts.show_rows([("Volume", "measuring"), ("Of sRGB it shows", "")])
        self._screens.measure(self._measured)
        items = [("what the system says", SYSTEM), ("generic sRGB", GENERIC)]
        items += [(path.stem, str(path)) for path in screen_files()]
        if chosen not in ("", GENERIC) and chosen not in {i[1] for i in items}:
            items.append((Path(chosen).name, chosen))
        items.append(("an ICC file…", _FILE))
        self.box.blockSignals(True)
        self.box.clear()
        for words, key in items:
            self.box.addItem(words, key)
        self.box.setCurrentIndex(self.box.findData(chosen))
        self.box.blockSignals(False)

    def _measured(self, space: Space, volume: float, of_srgb: float) -> None:
        if space is self._screens.now.space:
            self.facts.show_rows([("Volume", f"{volume:.2f} × sRGB"), ("Of sRGB it shows", f"{100 * of_srgb:.0f} %")])

    def _chosen(self) -> None:
        key = str(self.box.currentData())
        if key == _FILE:
            key, _ = QFileDialog.getOpenFileName(self, "The profile of this screen", "", "ICC profiles (*.icc *.icm)")
            if not key:
                self.refresh()
                return
        self._screens.choose(key)
        self.refresh()
