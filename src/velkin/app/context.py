"""What pages, menus and keys are given to work with: the model, the jobs, the picture flow, the settings."""

from __future__ import annotations

from dataclasses import dataclass

from PyQt6.QtCore import QSettings

from velkin.app.flow.picture_flow import PictureFlow
from velkin.app.jobs.jobs import Jobs
from velkin.app.jobs.screens import Screens
from velkin.app.model.shoot_model import ShootModel


@dataclass(frozen=True)
class Context:
    """The parts of a window that are no widgets."""

    model: ShootModel
    jobs: Jobs
    flow: PictureFlow
    screens: Screens
    settings: QSettings
