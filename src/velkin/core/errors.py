"""The family of errors Velkin raises on purpose.

Each says what happened to which file, what was kept, and what to do, so that window and command line can show it as it is.
"""

from __future__ import annotations

from pathlib import Path


class VelkinError(Exception):
    """Something that a photographer can understand and act on.

    Attributes
    ----------
    message : str
        One or two plain sentences.
    file : Path or None
        The file it is about.
    """

    def __init__(self, message: str, file: Path | str | None = None) -> None:
        super().__init__(message)
        self.message = message
        self.file = Path(file) if file is not None else None

    def __str__(self) -> str:
        if self.file is None or self.file.name in self.message:
            return self.message
        return f"{self.file.name}: {self.message}"


class UnreadableFile(VelkinError):
    """A file is missing, damaged, or not what its name says."""


class NotSupported(VelkinError):
    """A wish that is understood and not served; the command line ends with status 2."""


class BadChart(VelkinError):
    """A chart definition or reference file is damaged, incomplete or not one."""


class ChartNotFound(VelkinError):
    """No chart could be found in a frame."""


class ReadingRefused(VelkinError):
    """A chart was read, and the reading must not be used for fitting."""


class FitRefused(VelkinError):
    """The numbers given do not determine a profile."""


class BadProfile(VelkinError):
    """A profile file is damaged or of the wrong kind."""


class OutputRefused(VelkinError):
    """An output would overwrite something, or is the input itself."""


class OutputFailed(VelkinError):
    """Writing did not succeed; nothing is left under the final name."""


class ShootError(VelkinError):
    """The shoot file cannot be opened or changed."""
