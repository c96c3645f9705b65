"""Sixteen costs at once, as one vector of the machine: what the compiler does not make of a plain loop."""

from __future__ import annotations

from typing import Any

from llvmlite import ir
from numba import types
from numba.extending import intrinsic

LANES = 16
"""Sources of one sweep."""


def _rows(context: Any, builder: Any, kind: Any, array: Any, at: list[Any]) -> list[Any]:
    """Pointers to the vectors that begin at rows `at` of an array (n, LANES)."""
    data = context.make_array(kind)(context, builder, array).data
    lanes = ir.VectorType(ir.IntType(32), LANES)
    width = ir.Constant(ir.IntType(64), LANES)
    return [builder.bitcast(builder.gep(data, [builder.mul(row, width)]), lanes.as_pointer()) for row in at]


def _load(builder: Any, pointer: Any) -> Any:
    return builder.load(pointer, align=4)


def _splat(builder: Any, value: Any) -> Any:
    lanes = ir.VectorType(ir.IntType(32), LANES)
    one = builder.insert_element(ir.Constant(lanes, ir.Undefined), value, ir.Constant(ir.IntType(32), 0))
    zeros = ir.Constant(ir.VectorType(ir.IntType(32), LANES), [0] * LANES)
    return builder.shuffle_vector(one, ir.Constant(lanes, ir.Undefined), zeros)


def _over_edge(typing: Any, label: Any, a: Any, b: Any, cost: Any) -> Any:
    """`label[b] = min(label[b], label[a] + cost)` in all lanes, unsigned."""

    def generate(context: Any, builder: Any, signature: Any, args: Any) -> Any:
        near, far = _rows(context, builder, signature.args[0], args[0], [args[1], args[2]])
        over = builder.add(_load(builder, near), _splat(builder, args[3]))
        former = _load(builder, far)
        builder.store(builder.select(builder.icmp_unsigned("<", over, former), over, former), far, align=4)
        return context.get_dummy_value()

    return types.void(label, types.int64, types.int64, types.uint32), generate


def _over_edge_carrying(typing: Any, label: Any, extra: Any, a: Any, b: Any, cost: Any, carried: Any) -> Any:
    """The same, and `extra[b]` becomes `extra[a] + carried` in the lanes in which the way over the edge is shorter."""

    def generate(context: Any, builder: Any, signature: Any, args: Any) -> Any:
        near, far = _rows(context, builder, signature.args[0], args[0], [args[2], args[3]])
        near_extra, far_extra = _rows(context, builder, signature.args[1], args[1], [args[2], args[3]])
        over = builder.add(_load(builder, near), _splat(builder, args[4]))
        former = _load(builder, far)
        shorter = builder.icmp_unsigned("<", over, former)
        builder.store(builder.select(shorter, over, former), far, align=4)
        further = builder.add(_load(builder, near_extra), _splat(builder, args[5]))
        builder.store(builder.select(shorter, further, _load(builder, far_extra)), far_extra, align=4)
        return context.get_dummy_value()

    return types.void(label, extra, types.int64, types.int64, types.uint32, types.uint32), generate


over_edge: Any = intrinsic(_over_edge)
over_edge_carrying: Any = intrinsic(_over_edge_carrying)
