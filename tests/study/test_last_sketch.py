"""What was worked out while a street was drawn serves once it is there, and only then."""

from __future__ import annotations

import numpy as np

from awl.core.graph.edits.edit import Edit
from awl.study.sketched import sketched
from awl.study.street_edits import edit_streets, undo
from awl.study.study import Study
from tests.core.test_network_value import ARRAYS


def a_street(study: Study, north: float = 2e-4) -> Edit:
    graph = study.graph
    begin = float(graph.node_lon[10]), float(graph.node_lat[10])
    return Edit("add", points=(begin, (begin[0] + 1e-4, begin[1] + north)), tags={"highway": "footway"})


def drawn(study: Study, edit: Edit):
    sketch = sketched(study, [edit])
    network = sketch.study.network("walk")
    assert len(sketch.study.snapper("walk").snap(np.array([-36.2]), np.array([41.29]), 500.0).link) == 1
    study.hold_sketch(sketch.last)
    return network


def test_the_street_that_was_drawn_is_gone_on_with(own_study: Study) -> None:
    edit = a_street(own_study)
    network = drawn(own_study, edit)
    edit_streets(own_study, [edit])
    assert own_study.network("walk") is network and own_study.graph is network.graph
    scratch = Study(own_study.path).network("walk")
    for name in ARRAYS:
        assert np.array_equal(getattr(network, name), getattr(scratch, name)), name
    assert own_study.last_sketch is None
    undo(own_study)
    assert own_study.network("walk") is not network


def test_another_street_or_other_streets_since_are_worked_out_anew(own_study: Study) -> None:
    network = drawn(own_study, a_street(own_study))
    edit_streets(own_study, [a_street(own_study, 3e-4)])
    assert own_study.network("walk") is not network
    edit = a_street(own_study, 4e-4)
    network = drawn(own_study, edit)
    edit_streets(Study(own_study.path), [Edit("delete", links=(int(own_study.graph.link_id[0]),))])
    count = own_study.graph.link_count
    edit_streets(own_study, [edit])
    assert own_study.network("walk") is not network and own_study.graph.link_count == count + 1


def test_a_sketch_with_a_mode_changed_since_is_not_gone_on_with(own_study: Study) -> None:
    edit = a_street(own_study)
    network = drawn(own_study, edit)
    mode = own_study.mode("walk")
    own_study.save_mode(type(mode)(**{**vars(mode), "top_speed": 3.0}))
    edit_streets(own_study, [edit])
    assert own_study.network("walk") is not network and own_study.network("walk").mode.top_speed == 3.0
