"""Export: a profile written for other software, in the formats that can carry it, to a folder that is remembered."""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import datetime
from pathlib import Path
from typing import Literal

from PyQt6.QtCore import QSettings
from PyQt6.QtWidgets import QComboBox, QFileDialog, QLineEdit, QVBoxLayout, QWidget

from velkin.app import theme
from velkin.app.widgets.checkable import CheckBox
from velkin.app.widgets.parts import Heading, Rule, Words, beside, button, compact, labelled, row_of, soft
from velkin.app.widgets.sheet import Sheet
from velkin.core.cameraprofiles.anyprofile import AnyProfile
from velkin.core.cameraprofiles.dng import DNGProfile
from velkin.core.cameraprofiles.export import FORMATS, ExportChoices, cannot
from velkin.core.cameraprofiles.profile import CameraProfile
from velkin.core.cameraprofiles.shelf import name_by_pattern
from velkin.core.errors import VelkinError
from velkin.core.shoot.frame import Frame
from velkin.core.spaces.rgb import BUILT_IN, ROMM

_WHAT = {
    ".dcp": "for raw software that reads DNG camera profiles",
    ".icc": "for 16-bit TIFFs of camera numbers",
    ".cube": "a 3-D table for anything that reads one",
    ".json": "Velkin's own, nothing lost",
}
_POLICIES = ("copying allowed", "embed if used", "never embed", "no restrictions")


@dataclass(frozen=True)
class ExportPlan:
    """What is to be written."""

    profile: AnyProfile
    folder: Path
    pattern: str
    suffixes: list[str]
    choices: ExportChoices
    picture: bool
    replace: bool


class ExportSheet(Sheet):
    """Asks which formats, where and under which name; leaves a plan."""

    def __init__(self, profile: AnyProfile, frame: Frame | None, settings: QSettings, parent: QWidget) -> None:
        super().__init__("Export a profile", parent, spacing=8, width=500)
        self._profile = profile
        self._settings = settings
        self._frame = frame
        self.plan: ExportPlan | None = None
        column = self.column
        self.subject(profile.name)
        column.addWidget(Heading("As"))
        self.ticks: dict[str, CheckBox] = {}
        chosen = str(settings.value("export/formats", ".dcp")).split()
        for suffix, name in FORMATS.items():
            reason = cannot(profile, suffix)
            tick = CheckBox(f"{name} ({suffix}): {_WHAT[suffix]}" if not reason else f"{name} ({suffix})")
            tick.setEnabled(not reason)
            tick.setToolTip(reason)
            tick.setChecked(not reason and suffix in chosen)
            tick.toggled.connect(self._follow)
            self.ticks[suffix] = tick
            column.addWidget(tick)
            if reason:
                column.addWidget(soft(reason[0].upper() + reason[1:] + "."))
        self._details(column)
        column.addWidget(Rule())
        column.addWidget(Heading("Where"))
        self.folder = compact(QComboBox())
        self.folder.setAccessibleName("Folder")
        for folder in self._folders():
            self.folder.addItem(folder)
        self.folder.currentIndexChanged.connect(self._follow)
        column.addWidget(beside(self.folder, button("Another folder…", self._other_folder)))
        self.pattern = QLineEdit(str(settings.value("export/pattern", "{name}")))
        self.pattern.setToolTip("Text and {name}, {camera}, {light}, {model}, {date}")
        self.pattern.textChanged.connect(self._follow)
        column.addWidget(labelled("Name", self.pattern, 92))
        self.replace = CheckBox("Replace files of the same name")
        column.addWidget(self.replace)
        column.addWidget(Rule())
        self.summary = Words()
        self.summary.setWordWrap(True)
        self.summary.setFont(theme.font(13, 600))
        column.addWidget(self.summary)
        self.write = button("Write", self._accept, primary=True)
        column.addWidget(row_of(button("Cancel", self.reject), self.write))
        self._follow()

    def _details(self, column: QVBoxLayout) -> None:
        profile = self._profile
        self.camera = QLineEdit(profile.camera)
        self.camera.textChanged.connect(self._follow)
        self.camera.setEnabled(not isinstance(profile, DNGProfile) and bool(profile.camera))
        column.addWidget(labelled("Camera model", self.camera, 92))
        self.warning = soft(
            "Readers offer a DNG profile only for files whose unique camera model is exactly this. Change it only for a camera "
            "that names itself in another way."
        )
        column.addWidget(self.warning)
        self.copyright = QLineEdit(str(self._settings.value("export/copyright", "")))
        column.addWidget(labelled("Copyright", self.copyright, 92))
        self.policy = QComboBox()
        self.policy.addItems(_POLICIES)
        self.policy.setCurrentIndex(int(str(self._settings.value("export/policy", "3"))))
        self._policy_row = labelled("Embedding", self.policy, 92)
        column.addWidget(self._policy_row)
        self.encoding = QComboBox()
        self.encoding.addItem("linear camera numbers", "linear")
        self.encoding.addItem("camera numbers through the sRGB curve", "srgb")
        self._encoding_row = labelled("ICC takes", self.encoding, 92)
        column.addWidget(self._encoding_row)
        self.version = QComboBox()
        self.version.addItem("version 4", 4)
        self.version.addItem("version 2, for older labs and programs", 2)
        self._version_row = labelled("ICC version", self.version, 92)
        column.addWidget(self._version_row)
        self.space = QComboBox()
        for space in BUILT_IN.values():
            self.space.addItem(f"{space.name}, encoded", space.id)
        self.space.setCurrentIndex(self.space.findData(ROMM.id))
        self.steps = QComboBox()
        self.steps.addItem("65 steps", 65)
        self.steps.addItem("33 steps", 33)
        self._cube_row = labelled(".cube gives", row_of(self.space, self.steps), 92)
        column.addWidget(self._cube_row)
        finished = isinstance(profile, CameraProfile) and profile.for_pictures
        name = self._frame.name if self._frame is not None else ""
        self.picture = CheckBox(f"And {name} as the 16-bit TIFF of camera numbers that they take")
        self.picture.setVisible(self._frame is not None and not finished)
        column.addWidget(self.picture)

    def _folders(self) -> list[str]:
        kept = self._settings.value("export/folders") or []
        known = [kept] if isinstance(kept, str) else [str(k) for k in kept]
        return known or [str(Path.home())]

    def _other_folder(self) -> None:
        chosen = QFileDialog.getExistingDirectory(self, "Where profiles go", self.folder.currentText())
        if chosen:
            self.use_folder(chosen)

    def use_folder(self, folder: str) -> None:
        """Choose a folder; it comes first from now on."""
        at = self.folder.findText(folder)
        if at >= 0:
            self.folder.removeItem(at)
        self.folder.insertItem(0, folder)
        self.folder.setCurrentIndex(0)

    def _suffixes(self) -> list[str]:
        return [s for s, tick in self.ticks.items() if tick.isChecked()]

    def _follow(self) -> None:
        if not hasattr(self, "write"):
            return
        suffixes = self._suffixes()
        finished = isinstance(self._profile, CameraProfile) and self._profile.for_pictures
        fitted = isinstance(self._profile, CameraProfile)
        self._policy_row.setVisible(".dcp" in suffixes and fitted)
        self.warning.setVisible(self.camera.text().strip() != self._profile.camera)
        self._encoding_row.setVisible(".icc" in suffixes and fitted and not finished)
        self._version_row.setVisible(".icc" in suffixes and fitted)
        self._cube_row.setVisible(".cube" in suffixes)
        takes = bool({".icc", ".cube"} & set(suffixes)) and self._frame is not None and not finished
        self.picture.setVisible(takes)
        try:
            stem = name_by_pattern(self.pattern.text(), self._profile, f"{datetime.now():%Y-%m-%d}")
            self.summary.setText(f"{stem}: {', '.join(suffixes)}" if suffixes else "No format is ticked.")
            self.write.setEnabled(bool(suffixes) and bool(self.folder.currentText()))
        except VelkinError as error:
            self.summary.setText(str(error))
            self.write.setEnabled(False)
        self.adjustSize()

    def _accept(self) -> None:
        version: Literal[2, 4] = 2 if self.version.currentData() == 2 else 4
        space = BUILT_IN[str(self.space.currentData())]
        choices = ExportChoices(
            str(self.encoding.currentData()), version, space, int(self.steps.currentData()), self.policy.currentIndex()
        )
        profile = self._profile
        if isinstance(profile, CameraProfile):
            camera = self.camera.text().strip() or profile.camera
            profile = replace(profile, camera=camera, copyright=self.copyright.text().strip())
        folders = [self.folder.itemText(i) for i in range(self.folder.count())]
        current = self.folder.currentText()
        kept = [current, *[f for f in folders if f != current]][:8]
        for key, value in (
            ("folders", kept),
            ("formats", " ".join(self._suffixes())),
            ("pattern", self.pattern.text()),
            ("copyright", self.copyright.text()),
            ("policy", self.policy.currentIndex()),
        ):
            self._settings.setValue(f"export/{key}", value)
        ticked = self.picture.isVisible() and self.picture.isChecked()
        self.plan = ExportPlan(
            profile, Path(current), self.pattern.text(), self._suffixes(), choices, ticked, self.replace.isChecked()
        )
        self.accept()
