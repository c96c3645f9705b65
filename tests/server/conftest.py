"""A client of a server over a copy of the cut."""

from __future__ import annotations

import shutil
from pathlib import Path

import pytest
from flask.testing import FlaskClient

from awl.server.app import create_app
from awl.study.study import Study


@pytest.fixture(scope="module")
def folder(study_file: Path, tmp_path_factory: pytest.TempPathFactory) -> Path:
    folder = tmp_path_factory.mktemp("served")
    shutil.copy(study_file, folder / "ferrow.gpkg")
    (folder / "notes.gpkg").write_bytes(b"no study")
    return folder


@pytest.fixture(scope="module")
def client(folder: Path) -> FlaskClient:
    return create_app(folder).test_client()


@pytest.fixture
def own_client(own_study: Study) -> FlaskClient:
    """A client of a server over a copy of its own."""
    return create_app(own_study.path.parent).test_client()
