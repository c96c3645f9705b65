"""How kernels are compiled that only borrow arrays: they make none and keep none.

Numba counts references to each array that a function is given, on entry and on every way out of it, with locked instructions. In
kernels of a few steps that are called for every street this takes ten times as long as the steps. Borrowers need not count.
"""

from __future__ import annotations

from typing import Any

from numba import njit

_OPTIONS: dict[str, Any] = {"cache": True, "nogil": True, "_nrt": False}
njit_no_refcount: Any = njit(**_OPTIONS)
"""Decorator; `_nrt` off means that none can be allocated: a kernel that makes an array all the same is refused when compiled."""


@njit_no_refcount
def stopped(token: Any, done: Any, total: Any) -> Any:
    """Write how much of the whole is done into a `token` (3,); return whether the work should stop.

    Parameters:
        token: cancel token (3,).
        done: how much is done.
        total: how much there is to do.
    """
    token[1], token[2] = done, total
    return token[0] != 0
