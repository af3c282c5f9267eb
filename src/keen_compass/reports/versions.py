"""What the program stands on, for a report of something that went wrong."""

from __future__ import annotations

import platform
import re
from importlib import metadata

from keen_compass.language import tr

NAME = re.compile(r"[\w.-]+")  # of a package, before its versions


def stands_on() -> list[str]:
    """``Python 3.11.7``, then each package that the program needs with its version, then the system."""
    try:
        needed = [r for r in metadata.requires("keen-compass") or [] if "extra ==" not in r]
    except metadata.PackageNotFoundError:  # run from its source, without being installed
        needed = []
    names = sorted({found[0] for r in needed if (found := NAME.match(r))}, key=str.lower)
    packages = [f"{name} {_version(name)}" for name in names]
    return [tr("Python {python_version}", python_version=platform.python_version()), *packages, platform.platform()]


def _version(name: str) -> str:
    try:
        return metadata.version(name)
    except metadata.PackageNotFoundError:
        return "missing"
