"""Run Peel with ``python -m peel``."""

import sys

from peel.start import main

if __name__ == "__main__":
    sys.exit(main())
