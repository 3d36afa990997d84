"""Set-up: compile once what every start would compile otherwise, so that its first minute is as smooth as all others."""

from __future__ import annotations

from progress import told

import velkin.app.main  # noqa: F401  what the window starts with
from velkin.app.warming import warm_up


@told("set-up: methods, and loops of picture, proof and easing")
def main() -> None:
    """Load what a session may need, and compile what is not compiled yet."""
    warm_up()


if __name__ == "__main__":
    main()
