"""Source: what the file says of itself, and what was done to this frame's colour so far."""

from __future__ import annotations

from velkin.app.benches.parts import Bench, Facts, Rule, soft, state_label
from velkin.app.model import ShootModel
from velkin.app.words import signed


class SourceBench(Bench):
    """File facts and ledger."""

    def __init__(self, model: ShootModel) -> None:
        super().__init__("Source")
        self._model = model
        self._state = state_label()
        self._says = soft()
        self.column.addWidget(self._state)
        self.column.addWidget(self._says)
        self._file = Facts()
        self.column.addWidget(self._file)
        self.section("What it says, and where")
        self._claims = Facts(126)
        self.column.addWidget(self._claims)
        self.section("Shot")
        self._shot = Facts()
        self.column.addWidget(self._shot)
        self.section("Ledger")
        self._ledger = Facts(16)
        self.column.addWidget(self._ledger)
        self.column.addWidget(Rule())
        self.end()
        model.changed.connect(self.refresh)
        model.selection_changed.connect(self.refresh)

    def refresh(self) -> None:
        """Follow the selected frame."""
        frame = self._model.frame
        if frame is None:
            self._state.setText("No frame")
            self._says.setText("Drop raw files into the window, or add them from the Shoot menu.")
            self.sentence.setText("")
            return
        facts = frame.facts
        self._state.setText("Raw")
        self._says.setText("Camera numbers; a camera profile gives them their meaning.")
        self._file.show_rows(
            [
                ("File", frame.path.name),
                ("Folder", str(frame.path.parent)),
                ("Pixels", f"{facts.width} × {facts.height}, {facts.bits}-bit"),
            ]
        )
        colour = facts.colour
        where = "DNG" if facts.is_dng else "raw library"
        matrices = "none" if colour is None else f"{len(colour.matrices)}"
        red, _, blue = facts.as_shot
        self._claims.show_rows(
            [
                ("Embedded profile", "none in a raw file", ""),
                ("Unique camera model", facts.unique or "not set", "DNG" if facts.is_dng else "Exif"),
                ("Colour matrices", matrices, where),
                ("As-shot balance", f"{red:.3f}  1  {blue:.3f}", "R G B"),
            ]
        )
        exif = facts.exif
        self._shot.show_rows(
            [
                ("Maker", facts.make or "not set"),
                ("Camera", facts.model or "not set"),
                ("Lens", exif.lens or "not set"),
                ("Time", exif.taken.strftime("%d %B %Y, %H:%M:%S") if exif.taken else "not set"),
                ("Exposure", ", ".join(v for v in (exif.shutter, exif.aperture, exif.iso) if v) or "not set"),
            ]
        )
        self._ledger.show_rows([(str(i), text) for i, text in enumerate(self._entries(), start=1)])
        self.sentence.setText("The source file is not touched, whatever is done here.")

    def _entries(self) -> list[str]:
        """What happens to this frame's numbers, in order."""
        frame = self._model.frame
        assert frame is not None
        path = self._model.state.path(frame.id)
        profile = path.raw_stage.profile or "built-in profile"
        entries = [
            "arrived as camera numbers",
            f"white balance: {path.raw_stage.balance_from}",
            f"{profile}: numbers stay, look changes",
        ]
        if path.exposure:
            entries.append(f"exposure {signed(path.exposure, 2)} EV")
        entries.append(f"converted to {path.working.name}: look stays, numbers change")
        for file in (w for w in self._model.written() if w.frame == frame.id):
            entries.append(f"written {file.at[11:16]}: {file.path.name}" + ("" if file.ok else ", check failed"))
        return entries
