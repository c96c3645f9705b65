"""Awl answers accessibility questions on street networks.

    >>> import awl
    >>> streets = awl.read_streets("ferrow.osm.pbf")                                     # doctest: +SKIP
    >>> streets.network("walk").isochrone([[-36.2, 41.29]], minutes=[5, 10])             # doctest: +SKIP

What is public here is loaded when it is first used (PEP 562), so that importing the package costs nothing.
"""

from __future__ import annotations

from importlib import import_module
from typing import Any

__version__ = "0.1.0"
_PUBLIC = {
    "AwlError": "awl.core.errors",
    "Matrix": "awl.library",
    "ModeNetwork": "awl.library",
    "Result": "awl.library",
    "Streets": "awl.library",
    "open_study": "awl.library",
    "read_streets": "awl.library",
}
"""Public names, and the module that holds each."""
__all__ = ["__version__", *_PUBLIC]


def __getattr__(name: str) -> Any:
    if name not in _PUBLIC:
        raise AttributeError(f"module 'awl' has no attribute '{name}'; it has {', '.join(_PUBLIC)}")
    return getattr(import_module(_PUBLIC[name]), name)


def __dir__() -> list[str]:
    return sorted(__all__)
