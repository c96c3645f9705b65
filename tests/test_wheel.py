"""The wheel is all one needs: installed into an empty environment, the command serves the demo and answers, from any folder."""

from __future__ import annotations

import importlib.metadata
import os
import shutil
import subprocess
import sys
import sysconfig
import urllib.request
import venv
import zipfile
from pathlib import Path

import pytest
from packaging.requirements import Requirement

from awl.shipped import SOURCE


@pytest.fixture(scope="module")
def wheel(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """Built from a copy of what git holds, and of the front end that is built already."""
    source, out = tmp_path_factory.mktemp("source"), tmp_path_factory.mktemp("wheel")
    listed = subprocess.run(["git", "ls-files", "-z"], cwd=SOURCE, capture_output=True, check=True).stdout.decode()
    for name in filter(None, listed.split("\0")):
        if name.startswith(("tests/", "ui/src", "docs/", "demo/data/other")) or not (SOURCE / name).is_file():
            continue
        (source / name).parent.mkdir(parents=True, exist_ok=True)
        shutil.copy2(SOURCE / name, source / name)
    shutil.copytree(SOURCE / "ui" / "dist", source / "ui" / "dist", dirs_exist_ok=True)
    build = [
        sys.executable,
        "-m",
        "pip",
        "wheel",
        "--quiet",
        "--no-deps",
        "--no-build-isolation",
        "-w",
        str(out),
        str(source),
    ]
    subprocess.run(build, check=True)
    (built,) = out.glob("*.whl")
    return built


@pytest.fixture(scope="module")
def awl(wheel: Path, tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The command of an environment that holds the wheel, and beside it the packages it says it needs."""
    home = tmp_path_factory.mktemp("environment")
    venv.create(home, with_pip=False)
    python = home / "bin" / "python"
    subprocess.run(
        [
            sys.executable,
            "-m",
            "pip",
            "--python",
            str(python),
            "install",
            "--quiet",
            "--no-deps",
            "--no-index",
            str(wheel),
        ],
        check=True,
    )
    packages = Path(subprocess.run(
        [python, "-c", "import sysconfig; print(sysconfig.get_path('purelib'))"], capture_output=True, text=True, check=True
    ).stdout.strip())  # fmt: skip
    # Packages are those of this environment; its own Awl is found in the source tree alone and stays out.
    (packages / "needed.pth").write_text(sysconfig.get_path("purelib") + "\n")
    _warm(packages / "awl")
    return home / "bin" / "awl"


def _warm(package: Path) -> None:
    """Compiled kernels of the source tree, which the same sources can use."""
    for path in package.rglob("*.py"):
        own = SOURCE / "awl" / path.relative_to(package)
        assert path.read_bytes() == own.read_bytes()
        os.utime(path, ns=(own.stat().st_atime_ns, own.stat().st_mtime_ns))
        for compiled in (own.parent / "__pycache__").glob(f"{own.stem}.*.nb?"):
            (path.parent / "__pycache__").mkdir(exist_ok=True)
            shutil.copy2(compiled, path.parent / "__pycache__" / compiled.name)


def run(command: Path, *words: str, cwd: Path) -> str:
    clean = {key: value for key, value in os.environ.items() if not key.startswith("PYTHON")}
    done = subprocess.run([command, *words], cwd=cwd, env=clean, capture_output=True, text=True)
    assert done.returncode == 0, done.stderr
    return done.stdout


def test_it_holds_front_end_and_demo_data_and_says_what_it_needs(wheel):
    names = zipfile.ZipFile(wheel).namelist()
    assert {"awl/_front_end/index.html", "awl/_demo_data/ferrow.osm.pbf", "awl/cql2/grammar.lark"} <= set(names)
    assert not [name for name in names if name.startswith(("tests/", "demo/", "bench/"))]
    (name,) = [name for name in names if name.endswith(".dist-info/METADATA")]
    text = zipfile.ZipFile(wheel).read(name).decode()
    needed = [Requirement(line.split(": ", 1)[1]) for line in text.splitlines() if line.startswith("Requires-Dist: ")]
    assert len(needed) > 15
    for one in needed:
        assert one.specifier.contains(importlib.metadata.version(one.name)), f"{one} is not what the tests run with"
    assert "Requires-Python: >=3.11\n" in text


def test_the_command_serves_the_demo_and_answers_from_any_folder(awl, tmp_path):
    where = run(awl.with_name("python"), "-c", "import awl; print(awl.__file__)", cwd=tmp_path)
    assert str(awl.parent.parent) in where
    clean = {key: value for key, value in os.environ.items() if not key.startswith("PYTHON")}
    serving = subprocess.Popen(
        [awl, "demo", "--port", "0", "--folder", "studies"], cwd=tmp_path, env=clean, stdout=subprocess.PIPE, text=True
    )
    try:
        assert serving.stdout is not None
        address = serving.stdout.readline().rsplit(" ", 1)[1].strip()
        with urllib.request.urlopen(address, timeout=60) as page:
            assert b"<div id=" in page.read()
        with urllib.request.urlopen(f"{address}/studies", timeout=60) as page:
            assert b"ferrow" in page.read()
    finally:
        serving.terminate()
        serving.wait(20)
    words = ("ask", "isochrone", "--study", "studies/ferrow.gpkg", "--set", "places=cool_rooms", "--set", "limits=10")
    run(awl, *words, "--out", "areas.csv", cwd=tmp_path)
    assert (tmp_path / "areas.csv").read_text().startswith("limit,area_km2,street_km")
