"""Velkin: camera profiles, tags and checked hand-off for photographers who answer for colour."""

from velkin import dataclass_code

__version__ = "0.1.0"

dataclass_code.use()
