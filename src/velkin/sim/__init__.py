"""Stand-ins: a simulated camera, lights, charts and scenes. Spectral where it matters, the same bytes on every run.

Nothing here pretends to be a real device: every file says that it was simulated.
"""
