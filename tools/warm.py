"""Set-up: compile the loops over pixels that the window runs first, once, so that its first minute is as smooth as all others."""

from __future__ import annotations

from progress import told

from velkin.app.warming import warm_up


@told("set-up: loops of picture, proof and easing")
def main() -> None:
    """Run each loop on a handful of pixels."""
    warm_up()


if __name__ == "__main__":
    main()
