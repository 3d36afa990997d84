"""Velkin: camera profiles, tags and checked hand-off for photographers who answer for colour."""

__version__ = "0.1.0"
