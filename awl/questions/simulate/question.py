"""What happens when many set out: how places fill up, who is turned away, and who meets whom."""

from __future__ import annotations

from awl.questions.compared_parts import ComparedRows
from awl.questions.question import Question
from awl.questions.simulate.inputs import SimulateInputs
from awl.questions.simulate.run import run_simulate
from awl.questions.simulate.view import view_simulate


class Simulate(Question):
    """The simulate question."""

    id = "simulate"
    title = "Simulate"
    is_heavy = True
    description = (
        "Many people at once: how places fill up and whom they turn away, how full streets are, who meets whom."
    )
    opening = "What happens if many set out"
    sentences = [
        (
            {"demand": "table", "places": None},
            "What happens if people set out {demand} {trips}, {start}, each as a {mode}?",
        ),
        (
            {"demand": "table"},
            "What happens if people set out {demand} {trips} to {places}, {start}, each as a {mode}, staying {stay}, with room"
            " for {capacity}, {when_full}?",
        ),
        (
            {"demand": "random", "ends": "places"},
            "What happens if {people} people set out {demand} {ends} of {places}, {start}, each as a {mode}?",
        ),
        (
            {"demand": "random", "ends": "homes"},
            "What happens if {people} {fields} of {zones}, living by {spread}, set out {demand} {ends}, {start}, each as a"
            " {mode}?",
        ),
        (
            {"demand": "random"},
            "What happens if {people} people set out {demand} {ends}, {start}, each as a {mode}?",
        ),
        (
            {"demand": "attraction"},
            "What happens if {people} {fields} of {zones}, living by {spread}, set out {demand} {places}, which count {weights}"
            " and one half after {half}, balanced by {balance}, {start}, each as a {mode}, staying {stay}, with room for"
            " {capacity}, {when_full}?",
        ),
        (
            {},
            "What happens if {people} {fields} of {zones}, living by {spread}, set out {demand} {places}, {start}, each as a"
            " {mode}, staying {stay}, with room for {capacity}, {when_full}?",
        ),
    ]
    Inputs = SimulateInputs
    needs_hierarchy = True
    outputs = {
        "places": "The places, with who came in and who found them full, since when and for how long, GeoJSON",
        "occupancy": "Who is inside each place and is turned away there, moment by moment, as rows",
        "trips": "Everybody of the first run: origin, mode, times, place and outcome, as rows",
        "streets": "Streets with the people on them, in all and in the busiest quarter of an hour, GeoJSON",
        "streets_by_time": "Who enters each street in each quarter of an hour, as rows",
        "states": "How many are doing what, moment by moment; together they are all, as rows",
        "turned_away": "Who found which place full when, in the first run, GeoJSON",
        "curves": "Each figure at each step of a sweep, with median and the middle nine tenths of the runs, as rows",
        "grid": "Means of all figures, a row for each step of a sweep, as rows",
        "meetings": "Who met whom when, in the first run, as rows",
        "contagion": "How many can take on what is passed on, carry it, and carry it no more, as rows",
        "positions": "Where everybody of the first run is at each point of the way, with the time, as rows",
        "tracks": "Everybody's way of the first run as a line with times, GeoJSON",
    }
    compared = (
        ComparedRows(
            "places", "Places", ("id",), ("name",), ("turned_away", "came_in"), "points", more_is_better=False
        ),
        ComparedRows(
            "streets",
            "Streets",
            ("link_id",),
            ("name",),
            ("people",),
            "lines",
            more_is_better=None,
            absent_is_none=True,
        ),
    )
    run = staticmethod(run_simulate)
    view = staticmethod(view_simulate)
