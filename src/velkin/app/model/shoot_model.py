"""The one model of the window: which shoot is open, what is selected, which stop is shown. Widgets listen to it only."""

from __future__ import annotations

from collections.abc import Callable
from datetime import datetime

from PyQt6.QtCore import QObject, pyqtSignal

from velkin.app.model.changes import WHOLE, difference
from velkin.app.model.messages import Messages
from velkin.app.model.places import Places
from velkin.app.model.proof_view import RESTS, ProofView
from velkin.core.cameraprofiles.anyprofile import AnyProfile
from velkin.core.errors import VelkinError
from velkin.core.gamut.easing import Easing
from velkin.core.icc.space import Space
from velkin.core.path import ColourPath
from velkin.core.shoot.alternatives import AS_FOUND, BUILT_IN, NOW, THERE, WITHOUT_EASING, Alternative
from velkin.core.shoot.frame import Frame, Role
from velkin.core.shoot.shoot import Shoot
from velkin.core.shoot.state import State
from velkin.core.shoot.written import WrittenFile
from velkin.core.spaces.rgb import SRGB
from velkin.core.stages.stage import Place, Stage
from velkin.core.tags.ledger import Entry

#: The ways to compare besides holding and swapping.
COMPARISONS = ("off", "wipe", "side", "grid")
STOPS = ("source", "camera", "working", "proof", "handoff")


class ShootModel(QObject):
    """Owns the open shoot; every change of it goes through `change`, which reports errors and tells who listens."""

    opened = pyqtSignal()
    changed = pyqtSignal(object)  # Change
    selection_changed = pyqtSignal()
    stop_changed = pyqtSignal(str)
    before_changed = pyqtSignal(bool)
    hatching_changed = pyqtSignal(bool)
    comparison_changed = pyqtSignal()
    picking_changed = pyqtSignal(str)
    tried_changed = pyqtSignal()
    screen_changed = pyqtSignal()
    loupe_changed = pyqtSignal(bool)
    source_changed = pyqtSignal(int)  # the file of a frame is another than it was

    def __init__(self) -> None:
        super().__init__()
        self.shoot: Shoot | None = None
        #: What is done with a shoot that is shown no more; bringing what is in its log into its file can take a while.
        self.let_go: Callable[[Shoot], None] = Shoot.close
        self._seen: State | None = None
        #: When the shoot was changed last in this window; None before it was.
        self.changed_at: datetime | None = None
        self.current: int | None = None
        self.selected: tuple[int, ...] = ()
        self.stop = "camera"
        self.before = False
        self.hatching = False
        #: Whether the pixels under the pointer are shown enlarged.
        self.loupe = False
        #: How the picture is compared, and what it is compared with; the first is *before*.
        self.comparison = "off"
        self.against: tuple[Alternative, ...] = (BUILT_IN,)
        #: A decision that is only tried: entries that would follow the ledger of the frame in the viewer.
        self.tried: tuple[Entry, ...] = ()
        #: A profile that is only tried on the frame in the viewer.
        self.tried_profile: AnyProfile | None = None
        #: A match or a look that is only tried on the frame in the viewer, and whether it is being dragged.
        self.tried_look: Stage | None = None
        self.dragging_look = False
        self._tried_on: int | None = None
        self._wiped_for_trying = False
        self._tried_spaces: dict[str, Space] = {}
        #: What the next click on the picture picks: ``neutral``, the ``hue`` of an easing, or nothing.
        self.picking = ""
        #: Side of the square that a click picks, in picture pixels.
        self.picked_area = 15.0
        #: The space of the screen that the window is on; `Screens` follows it.
        self.screen: Space = SRGB
        self.proof = ProofView()
        self.messages = Messages()
        self.places = Places()

    # ---- shoot ------------------------------------------------------------------------------------------------

    def open(self, shoot: Shoot) -> None:
        """Show a shoot; the one before is let go."""
        if self.shoot is not None:
            self.let_go(self.shoot)
        self.shoot = shoot
        self.current = first_frame(shoot.state)
        self.selected = () if self.current is None else (self.current,)
        self.comparison, self.against, self.picking = "off", (BUILT_IN,), ""
        self.tried, self.tried_profile, self.tried_look = (), None, None
        self.proof.paint(RESTS)
        self.proof.try_easings(None)
        self._seen, self.changed_at = shoot.state, None
        self.messages.clear()
        self.places.end()
        self.opened.emit()
        self.changed.emit(WHOLE)

    def close(self) -> None:
        """Show no shoot."""
        if self.shoot is not None:
            self.let_go(self.shoot)
            self.shoot, self._seen, self.current, self.selected = None, None, None, ()
            self.messages.clear()
            self.places.end()
            self.opened.emit()
            self.changed.emit(WHOLE)

    @property
    def state(self) -> State:
        """The open shoot's state."""
        assert self.shoot is not None
        return self.shoot.state

    @property
    def frame(self) -> Frame | None:
        """The frame in the viewer."""
        if self.shoot is None or self.current is None:
            return None
        return self.state.frames.get(self.current)

    @property
    def raw_frame(self) -> Frame | None:
        """The frame in the viewer where it is a raw one; what is about cameras goes by it."""
        frame = self.frame
        return frame if frame is not None and frame.is_raw else None

    def path(self) -> ColourPath | None:
        """The colour path of the frame in the viewer as shown: with a decision that is tried, or its *before*."""
        if self.frame is None:
            return None
        if self.before:
            return self._led_as(NOW if self.trying else self.against[0])
        ledger = self.frame.ledger + self.tried
        path = self.state.path_with(self.frame.id, ledger, self._tried_spaces, self.tried_profile)
        return self._led(path if self.tried_look is None else path.put(Place.LOOK, self.tried_look))

    def _led_as(self, other: Alternative) -> ColourPath:
        assert self.frame is not None
        return self._led(other.path(self.state, self.frame.id), other)

    def _led(self, path: ColourPath, other: Alternative = NOW) -> ColourPath:
        """A path of the frame in the viewer with the easings that are tried, and to the screen where that is proofed for."""
        assert self.frame is not None
        if self.proof.on_screen:
            path = self.state.toward(path, self.frame.id, self.screen)
        if other == WITHOUT_EASING:
            return path.eased_by()
        if self.proof.trial is not None:
            path = path.eased_by(*(e for e in self.proof.trial if e.acts(path.destination.id)))
        return path

    def easings(self) -> tuple[Easing, ...]:
        """The easings of the frame in the viewer, as tried or as kept."""
        if self.proof.trial is not None:
            return self.proof.trial
        return self.state.easings_of(self.frame.id) if self.frame is not None else ()

    def set_screen(self, screen: Space) -> None:
        """The screen that pictures are drawn for is another."""
        if screen != self.screen:
            self.screen = screen
            self.screen_changed.emit()

    def proof_name(self) -> str:
        """What is proofed for, in words."""
        return "this screen" if self.proof.on_screen else self.state.proof_name()

    def space(self, identifier: str) -> Space:
        """A space by its id: the shoot's, or one that is only tried."""
        return self._tried_spaces.get(identifier) or self.state.space(identifier)

    @property
    def trying(self) -> bool:
        """Whether the frame in the viewer is shown as it is not kept."""
        return bool(self.tried) or self.tried_profile is not None or self.tried_look is not None

    @property
    def dragging(self) -> bool:
        """Whether what is tried is being dragged, so that another one follows at once."""
        return self.dragging_look or self.proof.dragging

    def try_entries(self, entries: tuple[Entry, ...], spaces: tuple[Space, ...] = ()) -> None:
        """Show the frame as it would be after a decision, which is not taken; none ends it."""
        self._tried_spaces.update({s.id: s for s in spaces})
        self._try(entries, None)

    def try_profile(self, profile: AnyProfile) -> None:
        """Show the frame as it would be with a profile, which is not given."""
        self._try((), profile)

    def try_look(self, look: Stage | None, dragging: bool = False) -> None:
        """Show the frame as it would be with a match or a look, which is not given; None ends it."""
        if (look, dragging) != (self.tried_look, self.dragging_look):
            self.tried_look, self.dragging_look, self._tried_on = look, dragging, self.current
            self.tried_changed.emit()

    def _try(self, entries: tuple[Entry, ...], profile: AnyProfile | None) -> None:
        if (entries, profile) == (self.tried, self.tried_profile):
            return
        self.tried, self.tried_profile, self._tried_on = entries, profile, self.current
        if self.trying and self.comparison == "off":  # wipe between now and then, unless another way to compare is in use
            self.comparison, self._wiped_for_trying = "wipe", True
            self.comparison_changed.emit()
        elif not self.trying and self._wiped_for_trying:
            self.comparison, self._wiped_for_trying = "off", False
            self.comparison_changed.emit()
        self.tried_changed.emit()

    def written(self, frame: int | None = None) -> list[WrittenFile]:
        """Every file handed off from this shoot, or of one frame of it, oldest first; none, with a word, where that cannot be read."""
        try:
            return self.shoot.handoffs.written(frame) if self.shoot is not None else []
        except VelkinError as error:
            self.report(error)
            return []

    def notes(self, frame: int | None = None) -> dict[int, dict[str, str]]:
        """What was noted of the state of frames when their latest files were written; see `Handoffs.notes`."""
        try:
            return self.shoot.handoffs.notes(frame) if self.shoot is not None else {}
        except VelkinError as error:
            self.report(error)
            return {}

    def steps(self) -> tuple[str | None, str | None]:
        """What would be undone and what would be done again; nothing, with a word, where that cannot be read."""
        try:
            return (None, None) if self.shoot is None else (self.shoot.undo_label(), self.shoot.redo_label())
        except VelkinError as error:
            self.report(error)
            return None, None

    def changes(self, written: bool = False) -> None:
        """Tell what changed in the shoot, keeping the selection on frames that are still there; `written` files are new too."""
        state = self.state
        change = WHOLE if self._seen is None else difference(self._seen, state, written)
        self._seen = state
        if change.anything:
            self.changed_at = datetime.now()
        if change.ends_trying(self.current):
            self.try_entries(())
            self.proof.try_easings(None)
        self.selected = tuple(f for f in self.selected if f in state.frames)
        if self.current not in state.frames:
            self.current = self.selected[0] if self.selected else next(iter(state.order()), None)
            self.selected = () if self.current is None else (self.current,)
            self.selection_changed.emit()
        self.changed.emit(change)

    def undo(self) -> None:
        """Undo the last step."""
        self._reverse("Undone")

    def redo(self) -> None:
        """Redo the step undone last."""
        self._reverse("Done again")

    def _reverse(self, what: str) -> None:
        if self.shoot is None:
            return
        try:
            label = self.shoot.undo() if what == "Undone" else self.shoot.redo()
        except VelkinError as error:
            self.report(error)
            return
        if label is not None:
            self.changes()
            self.say(f"{what}: {label}.")

    def say(self, text: str) -> None:
        """Say what was done."""
        self.messages.say(text)

    def report(self, error: VelkinError | str) -> None:
        """Show an error where the photographer looks, without stopping the work."""
        self.messages.insist(str(error))

    # ---- selection --------------------------------------------------------------------------------------------

    def select(self, current: int | None, selected: tuple[int, ...] | None = None) -> None:
        """Choose the frame in the viewer and the frames that actions apply to."""
        chosen = selected if selected is not None else (() if current is None else (current,))
        if (current, chosen) != (self.current, self.selected):
            self.current, self.selected = current, chosen
            if current != self._tried_on:
                self.try_entries(())
                self.try_look(None)
            self.proof.try_easings(None)
            self.proof.paint(RESTS)
            self.selection_changed.emit()

    def step_comparison(self) -> None:
        """The next way to compare."""
        if self.frame is not None:
            self.compare(COMPARISONS[(COMPARISONS.index(self.comparison) + 1) % len(COMPARISONS)])

    def step(self, by: int) -> None:
        """Go to another frame in the panel's order."""
        if self.shoot is None:
            return
        order = self.state.order()
        if order and self.current in order:
            self.select(order[max(0, min(len(order) - 1, order.index(self.current) + by))])

    def neighbours(self) -> tuple[int, ...]:
        """The frames one step on and one step back."""
        order = self.state.order()
        if self.current not in order:
            return ()
        at = order.index(self.current)
        return (*order[at + 1 : at + 2], *order[max(at - 1, 0) : at])

    def open_bench(self, stop: str) -> bool:
        """Open a stop's bench from wherever one is, and whether it was: a room with typed work asks before it is left."""
        if not self.places.back():
            return False
        self.open_stop(stop)
        return True

    def open_stop(self, stop: str) -> None:
        """Have a stop's bench beside the picture."""
        if stop != self.stop:
            self.stop = stop
            self.try_entries(())
            self.proof.paint(RESTS)
            self.stop_changed.emit(stop)

    def show_before(self, on: bool) -> None:
        """Show the camera's built-in rendering while on."""
        if on != self.before:
            self.before = on
            self.before_changed.emit(on)

    def compare(self, comparison: str) -> None:
        """Compare in another way, or not at all."""
        if comparison != self.comparison:
            self.comparison = comparison
            self.comparison_changed.emit()

    def compare_with(self, others: tuple[Alternative, ...]) -> None:
        """Choose what is compared with: one or, for the grid, up to three; the last ones chosen stay."""
        if others and others != self.against:
            self.against = others[:3]
            self.comparison_changed.emit()

    def other_paths(self) -> tuple[ColourPath, ...]:
        """The paths of the states shown beside the present one."""
        if self.frame is None or self.comparison == "off" or not self.places.at_picture:
            return ()
        if self.tried:
            return (self.state.path(self.frame.id),)
        return tuple(self._led_as(other) for other in self.compared())

    def compared(self) -> tuple[Alternative, ...]:
        """What is compared with now: in the grid up to three, else one."""
        return self.against if self.comparison == "grid" else self.against[:1]

    def others_there(self) -> tuple[bool, ...]:
        """Which of `other_paths` are seen at the destination."""
        return tuple(self.proof.shown or (other == THERE and not self.tried) for other in self.compared())

    def words_for(self, other: Alternative) -> str:
        """What the frame in the viewer is compared with, in words."""
        if self.tried:
            return "as it is"
        if other == THERE:
            return f"at {self.proof_name()}"
        raw = self.frame is not None and self.frame.is_raw
        return (other if raw or other == WITHOUT_EASING else AS_FOUND).name(self.state)

    def pick(self, what: str) -> None:
        """Begin to pick a ``neutral`` or a ``hue`` on the picture; an empty string ends it."""
        if what != self.picking:
            self.picking = what
            self.picking_changed.emit(what)

    def pick_by(self, side: float) -> None:
        """Let a click pick a square of another size."""
        self.picked_area = side
        if self.picking:
            self.picking_changed.emit(self.picking)

    def show_hatching(self, on: bool) -> None:
        """Hatch what the destination cannot hold."""
        if on != self.hatching:
            self.hatching = on
            self.hatching_changed.emit(on)

    def show_loupe(self, on: bool) -> None:
        """Show the pixels under the pointer enlarged."""
        if on != self.loupe:
            self.loupe = on
            self.loupe_changed.emit(on)

    def frames_of_light(self, frame: int) -> tuple[int, ...]:
        """The frames under the same light."""
        return self.state.light_of(frame).frames


def first_frame(state: State) -> int | None:
    """The frame that a shoot opens with: the first subject, else the first frame."""
    order = state.order()
    subjects = [f for f in order if state.frames[f].role is Role.SUBJECT]
    return next(iter(subjects or order), None)
