"""Sixteen costs at once, as one vector of the machine: what the compiler does not make of a plain loop."""

from __future__ import annotations

from typing import Any

from llvmlite import ir
from numba import types
from numba.core import cgutils
from numba.extending import intrinsic

LANES = 16
"""Sources of one sweep."""
VECTOR = ir.VectorType(ir.IntType(32), LANES)


def _data(context: Any, builder: Any, kind: Any, array: Any) -> Any:
    return context.make_array(kind)(context, builder, array).data


def _row(builder: Any, data: Any, at: Any) -> Any:
    """Pointer to the vector that is row `at` of an array (n, LANES)."""
    first = builder.mul(at, ir.Constant(ir.IntType(64), LANES))
    return builder.bitcast(builder.gep(data, [first]), VECTOR.as_pointer())


def _load(builder: Any, pointer: Any) -> Any:
    return builder.load(pointer, align=4)


def _splat(builder: Any, value: Any) -> Any:
    one = builder.insert_element(ir.Constant(VECTOR, ir.Undefined), value, ir.Constant(ir.IntType(32), 0))
    return builder.shuffle_vector(one, ir.Constant(VECTOR, ir.Undefined), ir.Constant(VECTOR, [0] * LANES))


def _over_edge(typing: Any, near: Any, a: Any, far: Any, b: Any, cost: Any) -> Any:
    """`far[b] = min(far[b], near[a] + cost)` in all lanes, unsigned; both may be the same array."""

    def generate(context: Any, builder: Any, signature: Any, args: Any) -> Any:
        kinds = signature.args
        begin = _row(builder, _data(context, builder, kinds[0], args[0]), args[1])
        end = _row(builder, _data(context, builder, kinds[2], args[2]), args[3])
        over = builder.add(_load(builder, begin), _splat(builder, args[4]))
        former = _load(builder, end)
        builder.store(builder.select(builder.icmp_unsigned("<", over, former), over, former), end, align=4)
        return context.get_dummy_value()

    return types.void(near, types.int64, far, types.int64, types.uint32), generate


def _over_edge_carrying(
    typing: Any, near: Any, near_extra: Any, a: Any, far: Any, far_extra: Any, b: Any, cost: Any, carried: Any
) -> Any:
    """The same, and `far_extra[b]` becomes `near_extra[a] + carried` in the lanes in which the way over the edge is shorter."""

    def generate(context: Any, builder: Any, signature: Any, args: Any) -> Any:
        kinds = signature.args
        begin, begin_extra = (_row(builder, _data(context, builder, kinds[k], args[k]), args[2]) for k in (0, 1))
        end, end_extra = (_row(builder, _data(context, builder, kinds[k], args[k]), args[5]) for k in (3, 4))
        over = builder.add(_load(builder, begin), _splat(builder, args[6]))
        former = _load(builder, end)
        shorter = builder.icmp_unsigned("<", over, former)
        builder.store(builder.select(shorter, over, former), end, align=4)
        further = builder.add(_load(builder, begin_extra), _splat(builder, args[7]))
        builder.store(builder.select(shorter, further, _load(builder, end_extra)), end_extra, align=4)
        return context.get_dummy_value()

    whole = types.int64, types.uint32
    return types.void(near, near_extra, whole[0], far, far_extra, *whole, whole[1]), generate


def _over_triangles(typing: Any, up: Any, down: Any, e: Any, first: Any, last: Any, head: Any, place: Any) -> Any:
    """The edges that are reached over edge `e` and each of `first`..`last`, in all lanes; the costs of `e` stay in registers.

    For f of these and k = `place[head[f]]`: `up[k] = min(up[k], down[e] + up[f])`, `down[k] = min(down[k], down[f] + up[e])`.
    """

    def generate(context: Any, builder: Any, signature: Any, args: Any) -> Any:
        kinds, wide = signature.args, ir.IntType(64)
        costs = [_data(context, builder, kinds[k], args[k]) for k in (0, 1)]
        heads, places = (_data(context, builder, kinds[k], args[k]) for k in (5, 6))
        up_e, down_e = (_load(builder, _row(builder, data, args[2])) for data in costs)
        with cgutils.for_range_slice(builder, args[3], args[4], ir.Constant(wide, 1), wide) as (f, _):
            rank = builder.zext(builder.load(builder.gep(heads, [f])), wide)
            k = builder.zext(builder.load(builder.gep(places, [rank])), wide)
            for data, mine in zip(costs, (down_e, up_e), strict=True):
                out = _row(builder, data, k)
                over = builder.add(_load(builder, _row(builder, data, f)), mine)
                former = _load(builder, out)
                builder.store(builder.select(builder.icmp_unsigned("<", over, former), over, former), out, align=4)
        return context.get_dummy_value()

    return types.void(up, down, types.int64, types.int64, types.int64, head, place), generate


def _over_triangle(typing: Any, costs: Any, third: Any, one: Any, two: Any, by_one: Any, by_two: Any) -> Any:
    """`costs[third] = min(costs[third], by_one[one] + by_two[two])` in all lanes: one edge for sixteen metrics."""

    def generate(context: Any, builder: Any, signature: Any, args: Any) -> Any:
        kinds = signature.args
        out, first, second = (
            _row(builder, _data(context, builder, kinds[k], args[k]), args[at]) for k, at in ((0, 1), (4, 2), (5, 3))
        )
        over = builder.add(_load(builder, first), _load(builder, second))
        former = _load(builder, out)
        builder.store(builder.select(builder.icmp_unsigned("<", over, former), over, former), out, align=4)
        return context.get_dummy_value()

    return types.void(costs, types.int64, types.int64, types.int64, by_one, by_two), generate


def _least_over(
    typing: Any, label: Any, i: Any, head: Any, cost: Any, begin: Any, end: Any, own: Any
) -> Any:  # fmt: skip
    """`label[i]` becomes the least of itself, where `own` is set, and of `label[head[e]] + cost[e]` for e in begin..end.

    The least so far stays in a register while the edges are gone through.
    """

    def generate(context: Any, builder: Any, signature: Any, args: Any) -> Any:
        kinds = signature.args
        data = _data(context, builder, kinds[0], args[0])
        heads, costs = (_data(context, builder, kinds[k], args[k]) for k in (2, 3))
        mine = _row(builder, data, args[1])
        best = cgutils.alloca_once(builder, VECTOR)
        builder.store(_begun(builder, mine, args[6]), best)
        with cgutils.for_range_slice(builder, args[4], args[5], ir.Constant(ir.IntType(64), 1), ir.IntType(64)) as (
            e,
            _,
        ):
            near = _row(builder, data, builder.zext(builder.load(builder.gep(heads, [e])), ir.IntType(64)))
            over = builder.add(_load(builder, near), _splat(builder, builder.load(builder.gep(costs, [e]))))
            former = builder.load(best)
            builder.store(builder.select(builder.icmp_unsigned("<", over, former), over, former), best)
        builder.store(builder.load(best), mine, align=4)
        return context.get_dummy_value()

    return types.void(label, types.int64, head, cost, types.int64, types.int64, types.uint8), generate


def _least_over_carrying(
    typing: Any, label: Any, extra: Any, i: Any, head: Any, cost: Any, carried: Any, begin: Any, end: Any, own: Any
) -> Any:  # fmt: skip
    """The same, and `extra[i]` is that of the way which is least."""

    def generate(context: Any, builder: Any, signature: Any, args: Any) -> Any:
        kinds = signature.args
        data, extras = (_data(context, builder, kinds[k], args[k]) for k in (0, 1))
        heads, costs, further = (_data(context, builder, kinds[k], args[k]) for k in (3, 4, 5))
        mine, mine_extra = _row(builder, data, args[2]), _row(builder, extras, args[2])
        best, best_extra = cgutils.alloca_once(builder, VECTOR), cgutils.alloca_once(builder, VECTOR)
        builder.store(_begun(builder, mine, args[8]), best)
        builder.store(_load(builder, mine_extra), best_extra)
        with cgutils.for_range_slice(builder, args[6], args[7], ir.Constant(ir.IntType(64), 1), ir.IntType(64)) as (
            e,
            _,
        ):
            row = builder.zext(builder.load(builder.gep(heads, [e])), ir.IntType(64))
            over = builder.add(
                _load(builder, _row(builder, data, row)), _splat(builder, builder.load(builder.gep(costs, [e])))
            )
            carry = builder.add(
                _load(builder, _row(builder, extras, row)), _splat(builder, builder.load(builder.gep(further, [e])))
            )
            former = builder.load(best)
            shorter = builder.icmp_unsigned("<", over, former)
            builder.store(builder.select(shorter, over, former), best)
            builder.store(builder.select(shorter, carry, builder.load(best_extra)), best_extra)
        builder.store(builder.load(best), mine, align=4)
        builder.store(builder.load(best_extra), mine_extra, align=4)
        return context.get_dummy_value()

    kinds = (label, extra, types.int64, head, cost, carried, types.int64, types.int64, types.uint8)
    return types.void(*kinds), generate


def _begun(builder: Any, row: Any, own: Any) -> Any:
    """What stands in a row where `own` is set, else no way."""
    far = ir.Constant(VECTOR, [2**31 - 1] * LANES)
    return builder.select(builder.icmp_unsigned("!=", own, ir.Constant(ir.IntType(8), 0)), _load(builder, row), far)


over_edge: Any = intrinsic(_over_edge)
over_edge_carrying: Any = intrinsic(_over_edge_carrying)
over_triangle: Any = intrinsic(_over_triangle)
over_triangles: Any = intrinsic(_over_triangles)
least_over: Any = intrinsic(_least_over)
least_over_carrying: Any = intrinsic(_least_over_carrying)
