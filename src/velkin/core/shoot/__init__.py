"""The shoot: one SQLite file of frames, lights, readings, profiles and decisions; never source pixels."""
