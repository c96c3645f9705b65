"""The names of all questions, for whoever needs no more of them than that."""

from __future__ import annotations

NAMES = (
    "isochrone", "access", "route", "trips", "catchment", "alongside", "neighbours", "centrality", "matrix",
    "simulate", "compare",
)  # fmt: skip
