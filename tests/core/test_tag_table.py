"""Every row of the tag table, in every shipped mode, as a study makes it of a map extract."""

from __future__ import annotations

import numpy as np
import pytest

from awl.core.modes.mode import SHIPPED
from awl.core.network.components import KeepParts
from awl.study import importing
from awl.study.study import Study
from tests.conftest import node, osm
from tests.core.tag_table import ROWS

ON_STREETS = [ident for ident, mode in SHIPPED.items() if mode.transit is None]
"""The modes of the table; who rides walks as a walker does."""

SEEN = {(True, True): "B", (True, False): "F", (False, True): "R", (False, False): "-"}


def tags_of(text: str) -> dict[str, str]:
    return dict(pair.split("=", 1) for pair in text.split(" "))


@pytest.fixture(scope="module")
def found(tmp_path_factory: pytest.TempPathFactory) -> dict[int, str]:
    """Use by each mode of the way of each row, which stands alone."""
    folder = tmp_path_factory.mktemp("tags")
    body = "".join(node(2 * i + 1, i * 0.01, 0) + node(2 * i + 2, i * 0.01, 0.001) for i in range(len(ROWS)))
    for i, (text, _, _) in enumerate(ROWS):
        inner = "".join(f'<tag k="{key}" v="{value}"/>' for key, value in tags_of(text).items())
        body += f'<way id="{i + 1}"><nd ref="{2 * i + 1}"/><nd ref="{2 * i + 2}"/>{inner}</way>\n'
    (folder / "table.osm").write_text(osm(body))
    importing.build(folder / "table.osm", folder / "table.gpkg")
    study = Study(folder / "table.gpkg")
    study.set_keep_parts(KeepParts("all"))
    uses = [study.network(ident).use for ident in ON_STREETS]
    assert np.array_equal(study.network("transit").usable, study.network("walk").usable)
    ways = study.graph.link_way.tolist()
    return {
        way: "".join(
            "E" if use.at_ends[link] else SEEN[bool(use.forward[link]), bool(use.backward[link])] for use in uses
        )
        for link, way in enumerate(ways)
    }


def test_the_table_is_large_and_says_why():
    assert len(ROWS) >= 150 and len({text for text, _, _ in ROWS}) == len(ROWS)
    assert list(ON_STREETS) == ["walk", "wheels", "cycle", "drive", "lorry"]
    assert all(len(use) == 5 and set(use) <= set("BFRE-") and why for _, use, why in ROWS)


@pytest.mark.parametrize("row", range(len(ROWS)))
def test_use_and_direction(found, row):
    text, expected, why = ROWS[row]
    assert found[row + 1] == expected, f"{text}: {why}"
