"""What leaves Awl as text or table: documents, lines of trips, a matrix, against a library that writes the same and no more."""

from __future__ import annotations

import io
import tempfile
import time
from itertools import count
from pathlib import Path

import orjson
import pyarrow.parquet as pq

from awl.core.graph.edits.edit import Edit
from awl.demo_study import make_demo
from awl.questions.batch import MatrixWork, run_batch
from awl.questions.files import answer_bytes
from awl.questions.run import ask
from awl.study import what_ifs
from awl.study.street_edits import edit_streets
from awl.study.study import Study
from bench.measure import Row, medians

ROOMS = {"layer": "cool_rooms"}
REACH = {"places": ROOMS, "limits": [5, 10, 15]}


def written(study: Study) -> list[Row]:
    """Results as the browser and files get them."""
    answer = ask(study, "isochrone", REACH)
    text = answer.encoded()
    encode, peer = medians(answer.encoded, lambda: orjson.dumps(orjson.loads(text)))
    rows = [
        Row(
            f"Ferrow: isochrone with its streets as a document, {len(text) / 1e6:.0f} MB; peer: the same text parsed and written",
            encode, peer, "x faster",
        )
    ]  # fmt: skip
    trips = {"from": {"layer": "building"}, "to": ROOMS, "pairing": "each", "most": 10_000}
    lines = answer_bytes(ask(study, "trips", trips), "paths", "geojson", "bench")
    (ours, peer) = medians(
        lambda: answer_bytes(ask(study, "trips", trips), "paths", "geojson", "bench"),
        lambda: orjson.dumps(orjson.loads(lines)),
        rounds=3,
    )
    rows.append(
        Row(
            f"Ferrow: 10,000 trips asked and written as GeoJSON, {len(lines) / 1e6:.0f} MB; peer: the text parsed and written",
            ours, peer, "x faster",
        )
    )  # fmt: skip
    return [*rows, *_matrix(study)]


def _matrix(study: Study) -> list[Row]:
    """A block of a matrix as Parquet against Arrow writing its columns."""
    some = {"layer": "building", "where": "fid <= 2300"}
    work = MatrixWork(study, {"from": some, "to": some})
    data, pairs = work.answered(0, 256)
    table = pq.read_table(io.BytesIO(data))

    def peer() -> None:
        pq.write_table(table, io.BytesIO(), compression="zstd")

    ours, theirs = medians(lambda: work.answered(256, 512), peer, rounds=5)
    return [
        Row(f"Ferrow: {pairs:,} pairs of a matrix as Parquet; peer: Arrow writes its columns", ours, theirs, "x faster")
    ]


def in_blocks(study: Study) -> list[Row]:
    """Five million pairs of a matrix as a folder of Parquet, in threads and by two workers that begin for it; peer: one block."""
    buildings = {"layer": "building", "where": "fid <= 2300"}
    inputs = {"from": buildings, "to": buildings}
    times, pairs = {}, 0
    for words, workers in (("threads", None), ("two workers that begin", "local:2")):
        with tempfile.TemporaryDirectory() as folder:
            begun = time.perf_counter()
            pairs = run_batch(study, "matrix", inputs, Path(folder) / "blocks", workers).rows
            times[words] = time.perf_counter() - begun
    work = MatrixWork(study, inputs)
    (block,) = medians(lambda: work.answered(0, 256), rounds=3)
    bound = block * pairs / work.answered(0, 256)[1]
    return [
        Row(f"Ferrow: {pairs:,} pairs of a matrix in blocks, {words}; bound: a block at a time", ours, bound, "of its speed")
        for words, ours in times.items()
    ]  # fmt: skip


def followed() -> list[Row]:
    """From an edit by one process until another one has answered, against an answer without an edit."""
    with tempfile.TemporaryDirectory() as folder:
        path = make_demo(Path(folder))
        editor, other = Study(path), Study(path)
        for mode in ("walk", "drive"):
            other.wait_until_prepared(mode)
        links = (int(editor.graph.link_id[row]) for row in count(400, 50))
        idea = what_ifs.save(editor, {"title": "Bench"}).id

        def close() -> None:
            edit_streets(editor, [Edit("delete", links=(next(links),))])

        def limit() -> None:
            edit_streets(editor, [Edit("change", links=(next(links),), tags={"maxspeed": "20"})])

        def in_a_what_if() -> None:
            edit_streets(editor, [Edit("delete", links=(next(links),))], idea)

        def answered(edit: object = None, **more: str) -> None:
            if callable(edit):
                edit()
            ask(other, "isochrone", {**REACH, **more}).encoded()

        plain, gone, slower = medians(answered, lambda: answered(close), lambda: answered(limit), rounds=3)
        # By itself: a what-if is copied anew after an edit of what it rests on.
        (idea_s,) = medians(lambda: answered(in_a_what_if, what_if=idea), rounds=3)
        named = {"a street is taken out": gone, "another limit": slower, "a street is taken out in a what-if": idea_s}
        return [
            Row(f"Ferrow: {what}, until another process answered; bound: answering", seconds, plain, "of the bound's speed")
            for what, seconds in named.items()
        ]  # fmt: skip


if __name__ == "__main__":
    with tempfile.TemporaryDirectory() as place:
        city = Study(make_demo(Path(place)))
        city.wait_until_prepared("walk")
        for row in [*written(city), *in_blocks(city), *followed()]:
            print(f"{row.what}: {row.awl_s:.3f} s, {row.other_s:.3f} s, {row.ratio:.2f} {row.meaning}")
