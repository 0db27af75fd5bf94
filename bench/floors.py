"""The libraries that floors are measured with: the product does not need them, so they lie apart from its own."""

import sys
from pathlib import Path

FOLDER = Path(__file__).parent.parent / "build" / "floors"
"""Where `scripts/bench` installs them, as `floors.lock` says."""


def use_floors() -> None:
    """Let their modules be found, after those of the product."""
    sys.path.append(str(FOLDER))
