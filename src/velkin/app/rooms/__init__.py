"""Rooms: work that takes over viewer and bench together and is left with Esc."""
