"""What Awl stands on is locked, named and licensed."""

from __future__ import annotations

import json
import re
from pathlib import Path

import pytest

ROOT = Path(__file__).parents[1]
LOCKS = ("requirements.txt", "requirements-dev.txt", "scripts/uv.txt")


def locked(name: str) -> dict[str, list[str]]:
    """Packages of a lock with the hashes of their files."""
    entries = re.split(r"\n(?=\S)", (ROOT / name).read_text())
    return {
        entry.split("==")[0]: re.findall(r"--hash=sha256:[0-9a-f]{64}", entry) for entry in entries if "==" in entry
    }


def wanted(name: str) -> list[str]:
    """Packages that are asked for."""
    lines = (ROOT / name).read_text().splitlines()
    return [re.split("[><=]", line)[0].lower() for line in lines if line and not line.startswith(("#", "-"))]


@pytest.mark.parametrize("name", LOCKS)
def test_every_package_is_locked_with_the_hashes_of_its_files(name):
    packages = locked(name)
    assert packages and all(packages.values()), [package for package, hashes in packages.items() if not hashes]


def test_tests_run_on_what_is_used():
    run, tests = locked("requirements.txt"), locked("requirements-dev.txt")
    assert {package: tests.get(package) for package in run} == run
    text = {name: (ROOT / name).read_text() for name in LOCKS[:2]}
    versions = {name: dict(re.findall(r"^([\w.-]+)==(\S+)", one, re.M)) for name, one in text.items()}
    assert versions["requirements.txt"].items() <= versions["requirements-dev.txt"].items()


def test_files_with_another_hash_are_not_installed():
    script = (ROOT / "scripts/install-packages").read_text()
    assert script.count("install") and script.count("--require-hashes") == 2


def test_every_package_is_named_with_its_purpose_and_licence():
    page = (ROOT / "docs/dependencies.md").read_text()
    rows = {row[0]: row[1:] for row in re.findall(r"^\| (\S+) \| (.+?) \| (.+?) \|$", page, re.M)}
    ui = json.loads((ROOT / "ui/package.json").read_text())["dependencies"]
    needed = {*wanted("requirements.in"), *wanted("requirements-dev.in"), *ui}
    assert needed <= set(rows), needed - set(rows)
    for package in locked("requirements-dev.txt"):
        assert package.lower() in rows or f"{package.lower()} (" in re.sub(r"\s+", " ", page), package
