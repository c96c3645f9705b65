"""Where what ships with Awl lies: in the package where it was installed, beside it in a source tree."""

from __future__ import annotations

from pathlib import Path

PACKAGE = Path(__file__).resolve().parent
SOURCE = PACKAGE.parent


def front_end() -> Path:
    """The folder of the built front end; it may be missing in a source tree."""
    return _one_of(PACKAGE / "_front_end", SOURCE / "ui" / "dist")


def demo_data() -> Path:
    """The folder of the demo data."""
    return _one_of(PACKAGE / "_demo_data", SOURCE / "demo" / "data")


def _one_of(installed: Path, in_source: Path) -> Path:
    return installed if installed.is_dir() else in_source
