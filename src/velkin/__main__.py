"""``python -m velkin``."""

import sys

from velkin.cli import main

if __name__ == "__main__":
    sys.exit(main())
