"""What the wheel holds beside Python: the built front end and the demo data. Everything else is in pyproject.toml."""

from __future__ import annotations

import shutil
import subprocess
from pathlib import Path

from setuptools import setup
from setuptools.command.build_py import build_py

ROOT = Path(__file__).resolve().parent
DEMO = (
    "ferrow.osm.pbf", "layers.gpkg", "parcels.gpkg", "buildings.gpkg", "elevation.tif", "population.tif", "sheet.json",
    "burst.sheet.json",
    "transit.zip",
)  # fmt: skip


class BuildWithData(build_py):
    """Put the front end and the demo data into the package that is built."""

    def run(self) -> None:
        """Build the front end where that was not done, then copy both."""
        super().run()
        if self.editable_mode:
            return
        built = ROOT / "ui" / "dist"
        if not (built / "index.html").is_file():
            if shutil.which("npm") is None:
                raise SystemExit("The front end is not built: run 'make setup' first, or install Node 20 with npm.")
            for command in (["npm", "ci", "--no-audit", "--no-fund"], ["npx", "--no-install", "vite", "build"]):
                subprocess.run(command, cwd=ROOT / "ui", check=True)
        package = Path(self.build_lib) / "awl"
        shutil.copytree(built, package / "_front_end", dirs_exist_ok=True)
        (package / "_demo_data").mkdir(exist_ok=True)
        for name in DEMO:
            shutil.copy2(ROOT / "demo" / "data" / name, package / "_demo_data" / name)


setup(cmdclass={"build_py": BuildWithData})
