"""Sixteen costs at once, as one vector of the machine: what the compiler does not make of a plain loop."""

from __future__ import annotations

from typing import Any

from llvmlite import ir
from numba import types
from numba.core import cgutils
from numba.extending import intrinsic

from awl.core.routing.simd.vectors import WIDE, Vectors

LANES = 16
"""Sources of one sweep."""
WHOLE = types.int64, types.uint32


def _lower_by_columns(typing: Any, costs: Any, at: Any, columns: Any, i: Any, size: Any) -> Any:
    """`costs[at] = min(costs[at], columns[:, i])` in all lanes; the columns (LANES, size) hold one lane after the other."""

    def generate(context: Any, builder: Any, signature: Any, args: Any) -> Any:
        v = Vectors(context, builder, signature, args, LANES)
        column, target, place = ir.Constant(v.kind, ir.Undefined), v.row(args[1]), args[3]
        for lane in range(LANES):
            column = builder.insert_element(column, v.one(v.data(2), place), ir.Constant(ir.IntType(32), lane))
            place = builder.add(place, args[4])
        v.store(v.less(column, v.load(v.data(0), target)), v.data(0), target)
        return context.get_dummy_value()

    return types.void(costs, types.int64, columns, types.int64, types.int64), generate


def _over_edge(typing: Any, near: Any, a: Any, far: Any, b: Any, cost: Any) -> Any:
    """`far[b] = min(far[b], near[a] + cost)` in all lanes, unsigned; both may be the same array."""

    def generate(context: Any, builder: Any, signature: Any, args: Any) -> Any:
        v = Vectors(context, builder, signature, args, LANES)
        end = v.row(args[3])
        over = builder.add(v.load(v.data(0), v.row(args[1])), v.splat(args[4]))
        v.store(v.less(over, v.load(v.data(2), end)), v.data(2), end)
        return context.get_dummy_value()

    return types.void(near, types.int64, far, *WHOLE), generate


def _over_edge_carrying(
    typing: Any, near: Any, near_extra: Any, a: Any, far: Any, far_extra: Any, b: Any, cost: Any, accumulated: Any
) -> Any:
    """The same, and `far_extra[b]` becomes `near_extra[a] + carried` in the lanes in which the way over the edge is shorter."""

    def generate(context: Any, builder: Any, signature: Any, args: Any) -> Any:
        v = Vectors(context, builder, signature, args, LANES)
        begin, end = v.row(args[2]), v.row(args[5])
        over = builder.add(v.load(v.data(0), begin), v.splat(args[6]))
        further = builder.add(v.load(v.data(1), begin), v.splat(args[7]))
        former = v.load(v.data(3), end)
        shorter = builder.icmp_unsigned("<", over, former)
        v.store(builder.select(shorter, over, former), v.data(3), end)
        v.store(builder.select(shorter, further, v.load(v.data(4), end)), v.data(4), end)
        return context.get_dummy_value()

    return types.void(near, near_extra, types.int64, far, far_extra, *WHOLE, types.uint32), generate


def _least_through_lanes(count: int) -> Any:
    """Lower `count` edges side by side, in all lanes, by the ways over several ranks."""

    def least_through(typing: Any, up: Any, down: Any, row: Any, b: Any, first: Any, step: Any, rows: Any) -> Any:
        """Lower the edges `row[b]` and on by the ways over `rows` ranks of a supernode; the least so far stays in registers.

        `first` is the edge from the first of these ranks to the lower end; that of the next stands `step` behind it, then one
        less each time. The edge to the higher end of `row[b]` stands `b` + 1 behind it.
        """

        def generate(context: Any, builder: Any, signature: Any, args: Any) -> Any:
            v = Vectors(context, builder, signature, args, LANES)
            costs = v.data(0), v.data(1)
            places = [builder.add(args[3], v.number(i)) for i in range(count)]
            targets = [v.row(v.one(v.data(2), place)) for place in places]
            best = [[v.variable(v.load(cost, target)) for target in targets] for cost in costs]
            with v.ranks(args[4], args[5], args[6]) as e:
                onward = [v.row(builder.add(builder.add(e, v.number(1)), place)) for place in places]
                for least, over, ahead in zip(best, costs[::-1], costs, strict=True):
                    into = v.load(over, v.row(e))
                    for one, at in zip(least, onward, strict=True):
                        way = builder.add(into, v.load(ahead, at))
                        builder.store(v.less(way, builder.load(one)), one)
            for least, cost in zip(best, costs, strict=True):
                for one, target in zip(least, targets, strict=True):
                    v.store(builder.load(one), cost, target)
            return context.get_dummy_value()

        return types.void(up, down, row, *(types.int64,) * 4), generate

    return intrinsic(least_through)


def _over_triangle(typing: Any, costs: Any, third: Any, one: Any, two: Any, by_one: Any, by_two: Any) -> Any:
    """`costs[third] = min(costs[third], by_one[one] + by_two[two])` in all lanes: one edge for sixteen metrics."""

    def generate(context: Any, builder: Any, signature: Any, args: Any) -> Any:
        v = Vectors(context, builder, signature, args, LANES)
        out = v.row(args[1])
        over = builder.add(v.load(v.data(4), v.row(args[2])), v.load(v.data(5), v.row(args[3])))
        v.store(v.less(over, v.load(v.data(0), out)), v.data(0), out)
        return context.get_dummy_value()

    return types.void(costs, types.int64, types.int64, types.int64, by_one, by_two), generate


def _least_over(typing: Any, label: Any, i: Any, head: Any, cost: Any, begin: Any, end: Any, own: Any) -> Any:
    """`label[i]` becomes the least of itself, where `own` is set, and of `label[head[e]] + cost[e]` for e in begin..end.

    The least so far stays in a register while the edges are gone through.
    """

    def generate(context: Any, builder: Any, signature: Any, args: Any) -> Any:
        v = Vectors(context, builder, signature, args, LANES)
        labels, heads, costs, row = v.data(0), v.data(2), v.data(3), v.row(args[1])
        best = v.variable(_begun(v, labels, row, args[6]))
        with cgutils.for_range_slice(builder, args[4], args[5], v.number(1), WIDE) as (e, _):
            near = v.row(builder.zext(v.one(heads, e), WIDE))
            over = builder.add(v.load(labels, near), v.splat(v.one(costs, e)))
            builder.store(v.less(over, builder.load(best)), best)
        v.store(builder.load(best), labels, row)
        return context.get_dummy_value()

    return types.void(label, types.int64, head, cost, types.int64, types.int64, types.uint8), generate


def _least_over_carrying(
    typing: Any, label: Any, extra: Any, i: Any, head: Any, cost: Any, accumulated: Any, begin: Any, end: Any, own: Any
) -> Any:  # fmt: skip
    """The same, and `extra[i]` is that of the way which is least."""

    def generate(context: Any, builder: Any, signature: Any, args: Any) -> Any:
        v = Vectors(context, builder, signature, args, LANES)
        labels, extras, own_row = v.data(0), v.data(1), v.row(args[2])
        heads, costs, further = v.data(3), v.data(4), v.data(5)
        best, best_extra = v.variable(_begun(v, labels, own_row, args[8])), v.variable(v.load(extras, own_row))
        with cgutils.for_range_slice(builder, args[6], args[7], v.number(1), WIDE) as (e, _):
            row = v.row(builder.zext(v.one(heads, e), WIDE))
            over = builder.add(v.load(labels, row), v.splat(v.one(costs, e)))
            carry = builder.add(v.load(extras, row), v.splat(v.one(further, e)))
            former = builder.load(best)
            shorter = builder.icmp_unsigned("<", over, former)
            builder.store(builder.select(shorter, over, former), best)
            builder.store(builder.select(shorter, carry, builder.load(best_extra)), best_extra)
        v.store(builder.load(best), labels, own_row)
        v.store(builder.load(best_extra), extras, own_row)
        return context.get_dummy_value()

    kinds = (label, extra, types.int64, head, cost, accumulated, types.int64, types.int64, types.uint8)
    return types.void(*kinds), generate


def _begun(v: Vectors, labels: Any, row: Any, own: Any) -> Any:
    """What stands in a row where `own` is set, else no way."""
    far = ir.Constant(v.kind, [2**31 - 1] * LANES)
    here = v.builder.icmp_unsigned("!=", own, ir.Constant(ir.IntType(8), 0))
    return v.builder.select(here, v.load(labels, row), far)


lower_by_columns: Any = intrinsic(_lower_by_columns)
over_edge: Any = intrinsic(_over_edge)
over_edge_carrying: Any = intrinsic(_over_edge_carrying)
least_through_lanes, least_through_four = _least_through_lanes(1), _least_through_lanes(4)
over_triangle: Any = intrinsic(_over_triangle)
least_over: Any = intrinsic(_least_over)
least_over_carrying: Any = intrinsic(_least_over_carrying)
