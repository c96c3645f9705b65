"""A server prepares the study it serves, and starts whatever lies in its folder."""

from __future__ import annotations

import shutil

import pytest

from awl.server.app import create_app
from awl.server.interface import open_only
from awl.study.study import Study


@pytest.fixture
def prepared(monkeypatch):
    """Names of the studies that were prepared."""
    names: list[str] = []
    monkeypatch.setattr(Study, "prepare", lambda study: names.append(study.path.stem))
    return names


def open_only_of(root):
    """Start a server of a folder or study."""
    with create_app(root).app_context():
        open_only()


def test_the_only_study_is_prepared_and_of_several_none(own_study, tmp_path, prepared):
    folder = tmp_path / "served"
    folder.mkdir()
    shutil.copy(own_study.path, folder / "one.gpkg")
    open_only_of(folder)
    assert prepared == ["one"]
    shutil.copy(own_study.path, folder / "two.gpkg")
    open_only_of(folder)
    open_only_of(folder / "two.gpkg")
    assert prepared == ["one", "two"]


def test_a_file_that_is_no_study_stops_no_server(tmp_path, prepared):
    (tmp_path / "broken.gpkg").write_bytes(b"no study at all" * 100)
    open_only_of(tmp_path)
    assert prepared == []
