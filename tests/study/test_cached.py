"""What a study derives is made once, and nobody waits but those who need it."""

from __future__ import annotations

import threading

import pytest


def test_two_who_need_one_thing_wait_for_it_and_a_third_does_not(own_study):
    begun, finish, times = threading.Event(), threading.Event(), []

    def slow() -> str:
        times.append(1)
        begun.set()
        assert finish.wait(30)
        return "slow"

    results: list[str] = []
    threads = [threading.Thread(target=lambda: results.append(own_study.cached("slow", slow))) for _ in range(2)]
    for thread in threads:
        thread.start()
    assert begun.wait(30)
    # Meanwhile others get networks, which rest on things that are made as well.
    assert own_study.network("walk").usable.any() and own_study.cached("quick", lambda: 7) == 7
    assert not results
    finish.set()
    for thread in threads:
        thread.join()
    assert results == ["slow", "slow"] and len(times) == 1


def test_what_cannot_be_made_is_tried_again(own_study):
    tries = []

    def sometimes() -> int:
        tries.append(1)
        if len(tries) == 1:
            raise ValueError("not yet")
        return 3

    with pytest.raises(ValueError, match="not yet"):
        own_study.cached("sometimes", sometimes)
    assert own_study.cached("sometimes", sometimes) == 3


def test_a_change_of_the_study_forgets_what_was_derived(own_study):
    assert own_study.cached("thing", lambda: 1) == 1
    own_study.set_layer_title("cool_rooms", "Rooms")
    assert own_study.cached("thing", lambda: 2) == 1, "a title changes nothing that is derived"
    own_study.drop_layer("cool_rooms")
    assert own_study.cached("thing", lambda: 2) == 2
