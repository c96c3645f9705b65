"""One server and one browser window for all browser tests."""

from __future__ import annotations

import shutil
from collections.abc import Iterator
from pathlib import Path

import pytest

from awl.study.study import Study
from tests.browser.chromium import Page, browser, server


@pytest.fixture(scope="package")
def served(tmp_path_factory: pytest.TempPathFactory, study_file: Path) -> Path:
    """The folder that is served; it holds the cut of Ferrow as study `cut`."""
    folder = tmp_path_factory.mktemp("browser")
    shutil.copy(study_file, folder / "cut.gpkg")
    return folder


@pytest.fixture(scope="package")
def page(served: Path) -> Iterator[Page]:
    with server(served) as address, browser(address) as page:
        yield page


@pytest.fixture
def cut(served: Path) -> Study:
    return Study(served / "cut.gpkg")


@pytest.fixture(autouse=True)
def only_its_own_errors(request: pytest.FixtureRequest) -> None:
    """A test hears of what went wrong in the console of its own time alone."""
    if "page" in request.fixturenames:
        request.getfixturevalue("page").log()
