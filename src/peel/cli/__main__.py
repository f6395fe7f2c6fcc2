"""Run the command line: ``python -m peel.cli``."""

import sys

from peel.cli import main

if __name__ == "__main__":
    sys.exit(main())
