"""How kernels are compiled that only borrow arrays: they make none and keep none.

Numba counts references to each array that a function is given, on entry and on every way out of it, with locked instructions. In
kernels of a few steps that are called for every street this takes ten times as long as the steps. Borrowers need not count.
"""

from __future__ import annotations

from typing import Any

from numba import njit

borrowing: Any = njit(cache=True, nogil=True, _nrt=False)
"""Decorator; `_nrt=False` turns the allocation of arrays off: a kernel that makes one all the same is refused when compiled."""
