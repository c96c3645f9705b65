"""Eight edges side by side as one vector of the machine, where the edges they go with stand side by side too.

Above a few low ranks most pairs of edges come in such runs: the neighbours of a rank that stay are neighbours of each other.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from llvmlite import ir
from numba import types
from numba.core import cgutils
from numba.extending import intrinsic

RUN = 8
"""Edges in a vector."""
ONE, WIDE = np.uint64(1), np.uint64(RUN)
"""Unsigned, for rows: signed ones are tested for being negative."""
VECTOR = ir.VectorType(ir.IntType(32), RUN)
WORD = ir.IntType(32)


def _at(context: Any, builder: Any, kind: Any, array: Any, first: Any) -> Any:
    """Pointer to the vector of the costs from `first` on."""
    data = context.make_array(kind)(context, builder, array).data
    return builder.bitcast(builder.gep(data, [first]), VECTOR.as_pointer())


def _load(builder: Any, pointer: Any) -> Any:
    return builder.load(pointer, align=4)


def _splat(builder: Any, value: Any) -> Any:
    one = builder.insert_element(ir.Constant(VECTOR, ir.Undefined), value, ir.Constant(WORD, 0))
    return builder.shuffle_vector(one, ir.Constant(VECTOR, ir.Undefined), ir.Constant(VECTOR, [0] * RUN))


def _less(builder: Any, one: Any, two: Any) -> Any:
    return builder.select(builder.icmp_unsigned("<", one, two), one, two)


def _least_of(builder: Any, vector: Any, value: Any) -> Any:
    """The least of a value and all in a vector."""
    kind = ir.FunctionType(WORD, [VECTOR])
    reduce = cgutils.get_or_insert_function(builder.module, kind, f"llvm.vector.reduce.umin.v{RUN}i32")
    return _less(builder, builder.call(reduce, [vector]), value)


def _lower_run(typing: Any, up: Any, down: Any, k: Any, f: Any, up_e: Any, down_e: Any) -> Any:
    """`up[k] = min(up[k], down_e + up[f])` and `down[k] = min(down[k], down[f] + up_e)` for a run from `k` and one from `f`."""

    def generate(context: Any, builder: Any, signature: Any, args: Any) -> Any:
        for side, mine in ((0, 5), (1, 4)):
            out = _at(context, builder, signature.args[side], args[side], args[2])
            other = _load(builder, _at(context, builder, signature.args[side], args[side], args[3]))
            over = builder.add(other, _splat(builder, args[mine]))
            builder.store(_less(builder, over, _load(builder, out)), out, align=4)
        return context.get_dummy_value()

    return types.void(up, down, types.int64, types.int64, types.uint32, types.uint32), generate


def _settle_run(typing: Any, up: Any, down: Any, k: Any, f: Any, up_e: Any, down_e: Any) -> Any:
    """`up[f] = min(up[f], up_e + up[k])`, `down[f] = min(down[f], down[k] + down_e)` for runs from `f` and, final, from `k`.

    Returns what `up_e` and `down_e` become: the least of themselves, of `up[f] + down[k]` and of `up[k] + down[f]`.
    """

    def generate(context: Any, builder: Any, signature: Any, args: Any) -> Any:
        (up_f_at, up_k), (down_f_at, down_k) = (
            (
                _at(context, builder, signature.args[side], args[side], args[3]),
                _load(builder, _at(context, builder, signature.args[side], args[side], args[2])),
            )
            for side in (0, 1)
        )
        up_f, down_f = _load(builder, up_f_at), _load(builder, down_f_at)
        up = _least_of(builder, builder.add(up_f, down_k), args[4])
        down = _least_of(builder, builder.add(up_k, down_f), args[5])
        builder.store(_less(builder, builder.add(_splat(builder, up), up_k), up_f), up_f_at, align=4)
        builder.store(_less(builder, builder.add(_splat(builder, down), down_k), down_f), down_f_at, align=4)
        return cgutils.pack_array(builder, [up, down])

    whole = types.int64, types.uint32
    return types.UniTuple(types.uint32, 2)(up, down, whole[0], whole[0], whole[1], whole[1]), generate


lower_run: Any = intrinsic(_lower_run)
settle_run: Any = intrinsic(_settle_run)
