"""Large CSV tables: what is read is what Python's own reader finds, and every fault is named with its line."""

from __future__ import annotations

import csv
import io

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from awl.core.errors import AwlError
from awl.io import gmns_read, text_table
from awl.io.gmns_links import _paired

CELLS = st.text(st.characters(codec="utf-8", exclude_categories=("Cc", "Cs", "Z")), max_size=8)


@pytest.fixture
def written(tmp_path):
    def write(text, encoding="utf-8"):
        path = tmp_path / "table.csv"
        path.write_bytes(text.encode(encoding))
        return path

    return write


@given(rows=st.lists(st.tuples(CELLS, CELLS | st.just('a "quoted", cell'), CELLS), min_size=1, max_size=20))
def test_cells_are_those_that_another_reader_finds(tmp_path_factory, rows):
    text = io.StringIO(newline="")
    csv.writer(text).writerows([("a", "b", "c"), *rows])
    path = tmp_path_factory.mktemp("csv") / "table.csv"
    path.write_bytes(text.getvalue().encode())
    table = text_table.read(path)
    found = list(zip(*(table.columns[name].to_pylist() for name in "abc"), strict=True))
    assert found == [tuple(cell or None for cell in row) for row in rows]


def test_rows_with_other_cells_than_the_header_are_named(written):
    table = text_table.read(written("a,b\n1,2\n3\n4,5\n6,7,8\n9,x\n"))
    assert table.uneven == (3, 5) and table.lines.tolist() == [2, 4, 6]
    assert table.whole("a").tolist() == [1, 4, 9]
    with pytest.raises(AwlError, match=r"table\.csv, line 6: 'x' is no whole number for b"):
        table.whole("b")


@pytest.mark.parametrize("encoding", ["utf-8", "utf-8-sig", "cp1252"])
def test_names_survive_the_usual_encodings(written, encoding):
    table = text_table.read(written("name;n\nÜber Straße;1,5\n", encoding), delimiter=None)
    assert table.text("name").to_pylist() == ["Über Straße"] and list(table.columns) == ["name", "n"]


def test_numbers_are_read_as_they_are_written(written):
    table = text_table.read(written("a,b,c,d\n 7 ,1e3,,inf\n8.0,-2,5,x\n"))
    assert table.whole("a").tolist() == [7, 8] and table.numbers("b").tolist() == [1000, -2]
    assert np.isnan(table.finite("c")[0]) and table.finite("d") is None
    assert np.isnan(table.numbers_or_nan("d")[1]) and np.isnan(table.numbers_or_nan("absent")).all()
    with pytest.raises(AwlError, match="line 2: '' is no number for c"):
        table.numbers("c")


@pytest.mark.parametrize(
    ("text", "message"),
    [
        ("\n\n", "is no CSV"),
        ("a,b\n", "no row below its header"),
        ("a,b\n1\n2\n", "no row with as many cells as its header"),
        (",".join(f"c{i}" for i in range(501)) + "\n", "501 fields are more than"),
        ("a,b\n" + "x" * (2 * text_table.BLOCK_BYTES + 1) + ",1\n", "is no CSV"),
    ],
    ids=["blank", "no row", "uneven", "wide", "endless row"],
)
def test_what_is_no_table_says_so(written, text, message):
    with pytest.raises(AwlError, match=message):
        text_table.read(written(text)).needs("a")


@given(rows=st.lists(st.tuples(st.integers(0, 3), st.integers(0, 1), st.booleans()), max_size=30))
def test_rows_pair_in_their_order(rows):
    keys = [np.array([row[k] for row in rows], np.int64) for k in (0, 1)]
    partner = _paired(keys, np.array([row[2] for row in rows], bool))
    wanted = [-1] * len(rows)
    waiting: dict[tuple[int, int, bool], list[int]] = {}
    for row, (a, b, direction) in enumerate(rows):
        others = waiting.get((a, b, not direction))
        if others:
            other = others.pop(0)
            wanted[row], wanted[other] = other, row
        else:
            waiting.setdefault((a, b, direction), []).append(row)
    assert partner.tolist() == wanted


def test_uneven_rows_of_links_are_left_out_and_counted(tmp_path):
    (tmp_path / "node.csv").write_text("node_id,x_coord,y_coord\n7,-36.2,41.3\n9,-36.199,41.3\n")
    (tmp_path / "link.csv").write_text("from_node_id,to_node_id,name\n7,9,Ash Lane\n7,9\n")
    found = gmns_read.read(tmp_path)
    assert found.graph.link_count == 1 and found.left_out == {"rows with more or fewer cells than the header": 1}
    with pytest.raises(AwlError, match=r"link\.csv, line 3: The row has not as many cells"):
        gmns_read.read(tmp_path, strict=True)
