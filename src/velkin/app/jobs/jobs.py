"""All jobs of a window, each about one subject; benches, rooms and menus ask them, and none of those does work of its own."""

from __future__ import annotations

from pathlib import Path

from velkin.app.flow.service import RenderService
from velkin.app.jobs.camera import Camera
from velkin.app.jobs.charts import Charts
from velkin.app.jobs.colour import Colour
from velkin.app.jobs.colour_spaces import ColourSpaces
from velkin.app.jobs.comparing import Comparing
from velkin.app.jobs.demo import DemoJobs
from velkin.app.jobs.fits import Fits
from velkin.app.jobs.handoff import Handoff
from velkin.app.jobs.importing import Importing
from velkin.app.jobs.lanes import Lanes
from velkin.app.jobs.layers import LayerJobs
from velkin.app.jobs.looks import Looks
from velkin.app.jobs.matches import Matches
from velkin.app.jobs.proof import Proof
from velkin.app.jobs.shelf import ShelfJobs, usual_folder
from velkin.app.jobs.shoots import Shoots
from velkin.app.jobs.support import SupportJobs
from velkin.app.jobs.survey import Survey
from velkin.app.jobs.watching import Watching
from velkin.app.jobs.work import Ground
from velkin.app.model.shoot_model import ShootModel


class Jobs:
    """The jobs of a window."""

    def __init__(
        self,
        model: ShootModel,
        sources: RenderService,
        lanes: Lanes,
        shelf_folder: Path | None = None,
        icc_folders: list[Path] | None = None,
    ) -> None:
        self.model, self.sources, self.lanes = model, sources, lanes
        self.ground = ground = Ground(model, sources, lanes)
        self.command = ground.command
        profiles = shelf_folder or usual_folder()
        self.shelf = ShelfJobs(ground, profiles)
        self.camera = Camera(ground, self.shelf)
        self.fits = Fits(ground, self.shelf, self.camera)
        self.charts = Charts(ground, self.fits)
        self.importing = Importing(ground)
        self.colour = Colour(ground, self.importing)
        self.layers = LayerJobs(ground)
        self.comparing = Comparing(ground)
        self.support = SupportJobs(ground)
        self.looks = Looks(ground, profiles.parent / "matches")
        self.matches = Matches(ground)
        self.proof = Proof(ground)
        self.survey = Survey(ground)
        self.watching = Watching(ground)
        self.handoff = Handoff(ground)
        self.shoots = Shoots(ground, self.handoff, self.importing)
        self.demo = DemoJobs(ground, self.shoots)
        self.spaces = ColourSpaces(ground, icc_folders)

    def stop(self) -> None:
        """Begin nothing any more by itself."""
        self.watching.stop()
        self.shoots.stop()
        self.handoff.stop()
        self.shelf.stop()
        self.spaces.stop()
