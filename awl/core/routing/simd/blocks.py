"""Costs of edges that stand side by side, eight or sixteen at once as vectors of the machine.

Ranks of a supernode have the same neighbours above it, in rows that end alike, so the edges over all of them come in such runs.
Where a run is no multiple of a vector, the last one overlaps the one before: taking the least twice changes nothing.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numba import types
from numba.core import cgutils
from numba.extending import intrinsic

from awl.core.kernels import njit_no_refcount
from awl.core.routing.simd.vectors import WIDE, Vectors, load_unchecked

RUN = 8
"""Edges in the shortest vector."""


def _through(width: int) -> Any:
    """Lower a vector of costs by ways over several ranks whose rows end alike."""

    def through(
        typing: Any,
        up: Any,
        down: Any,
        to_up: Any,
        to_down: Any,
        at: Any,
        first: Any,
        step: Any,
        rows: Any,
        beyond: Any,
    ) -> Any:
        def generate(context: Any, builder: Any, signature: Any, args: Any) -> Any:
            v = Vectors(context, builder, signature, args, width)
            costs, targets = (v.data(0), v.data(1)), (v.data(2), v.data(3))
            to = builder.add(args[4], args[8])
            best = [v.variable(v.load(target, to)) for target in targets]
            with v.ranks(args[5], args[6], args[7]) as p:
                onward = builder.add(builder.add(p, v.number(1)), args[8])
                for least, over, ahead in zip(best, costs[::-1], costs, strict=True):
                    way = builder.add(v.splat(v.one(over, p)), v.load(ahead, onward))
                    builder.store(v.less(way, builder.load(least)), least)
            for least, target in zip(best, targets, strict=True):
                v.store(builder.load(least), target, to)
            return context.get_dummy_value()

        return types.void(up, down, to_up, to_down, *(types.int64,) * 5), generate

    return intrinsic(through)


def _settle(width: int) -> Any:
    """Ways over one edge and between its end and those of a run of others, both lowered by what lies between."""

    def settle(typing: Any, up: Any, down: Any, e: Any, at_up: Any, at_down: Any, at: Any, count: Any) -> Any:
        def generate(context: Any, builder: Any, signature: Any, args: Any) -> Any:
            v = Vectors(context, builder, signature, args, width)
            up, down, between_up, between_down = (v.data(i) for i in (0, 1, 3, 4))
            first = v.splat(v.one(up, args[2])), v.splat(v.one(down, args[2]))
            best = [v.variable(cost) for cost in first]
            last = builder.sub(args[6], v.number(width))
            blocks = builder.udiv(builder.add(args[6], v.number(width - 1)), v.number(width))
            with cgutils.for_range(builder, blocks) as loop:
                b = builder.mul(builder.zext(loop.index, WIDE), v.number(width))
                b = builder.select(builder.icmp_signed("<", b, last), b, last)
                f = builder.add(builder.add(args[2], v.number(1)), b)
                k = builder.add(args[5], b)
                up_f, down_f, up_k, down_k = (
                    v.load(up, f),
                    v.load(down, f),
                    v.load(between_up, k),
                    v.load(between_down, k),
                )
                builder.store(v.less(builder.add(up_f, down_k), builder.load(best[0])), best[0])
                builder.store(v.less(builder.add(up_k, down_f), builder.load(best[1])), best[1])
                v.store(v.less(builder.add(first[0], up_k), up_f), up, f)
                v.store(v.less(builder.add(down_k, first[1]), down_f), down, f)
            for cost, least in zip((up, down), best, strict=True):
                builder.store(v.least(builder.load(least)), builder.gep(cost, [args[2]]))
            return context.get_dummy_value()

        return types.void(up, down, types.int64, at_up, at_down, types.int64, types.int64), generate

    return intrinsic(settle)


def _lower(typing: Any, up: Any, down: Any, at: Any, by_up: Any, by_down: Any, b: Any) -> Any:
    """Lower a run of costs from `at` to those from `b` on."""

    def generate(context: Any, builder: Any, signature: Any, args: Any) -> Any:
        v = Vectors(context, builder, signature, args, RUN)
        for first, other in ((0, 3), (1, 4)):
            target = v.data(first)
            v.store(v.less(v.load(v.data(other), args[5]), v.load(target, args[2])), target, args[2])
        return context.get_dummy_value()

    return types.void(up, down, types.int64, by_up, by_down, types.int64), generate


def _lower_one(typing: Any, up: Any, down: Any, at: Any, by_up: Any, by_down: Any) -> Any:
    """Lower one cost either way."""

    def generate(context: Any, builder: Any, signature: Any, args: Any) -> Any:
        v = Vectors(context, builder, signature, args, 1)
        for first, other in ((0, 3), (1, 4)):
            pointer = builder.gep(v.data(first), [args[2]])
            builder.store(v.less(args[other], builder.load(pointer)), pointer)
        return context.get_dummy_value()

    return types.void(up, down, types.int64, types.uint32, types.uint32), generate


_through_4, _through_8, _through_16 = _through(RUN // 2), _through(RUN), _through(2 * RUN)
_settle_8, _settle_16 = _settle(RUN), _settle(2 * RUN)
lower_run: Any = intrinsic(_lower)
lower_one: Any = intrinsic(_lower_one)


@njit_no_refcount
def least_through(up, down, to_up, to_down, at, first, step, rows, count):
    """Lower `to_up`, `to_down` from `at` on, `count` of them, by the ways over `rows` ranks of a supernode.

    `first` is the edge from the first of these ranks to the lower end; that of the next stands `step` behind it, then one less
    each time. The edges to the higher ends stand behind it in the same row.

    Parameters:
        up: costs of the edges upwards.
        down: costs of the edges downwards.
        to_up: costs upwards, lowered here.
        to_down: costs downwards, lowered here.
        at: where in them the block begins.
        first: the edge from the first rank to the lower end.
        step: how far behind it that of the next rank stands.
        rows: how many ranks there are.
        count: how many edges are lowered.
    """
    if count >= 2 * RUN:
        for b in range(0, count - 2 * RUN + 1, 2 * RUN):
            _through_16(up, down, to_up, to_down, at, first, step, rows, b)
        if count % (2 * RUN):
            _through_16(up, down, to_up, to_down, at, first, step, rows, count - 2 * RUN)
    elif count >= RUN:
        _through_8(up, down, to_up, to_down, at, first, step, rows, 0)
        if count > RUN:
            _through_8(up, down, to_up, to_down, at, first, step, rows, count - RUN)
    elif count >= RUN // 2:
        _through_4(up, down, to_up, to_down, at, first, step, rows, 0)
        if count > RUN // 2:
            _through_4(up, down, to_up, to_down, at, first, step, rows, count - RUN // 2)
    else:
        e = first
        for i in range(rows):
            up_e, down_e = load_unchecked(up, e), load_unchecked(down, e)
            for b in range(count):
                f = e + 1 + b
                lower_one(
                    to_up,
                    to_down,
                    at + b,
                    np.uint32(down_e + load_unchecked(up, f)),
                    np.uint32(load_unchecked(down, f) + up_e),
                )
            e += step - i


@njit_no_refcount
def settle(up, down, e, between_up, between_down, at, count):
    """Lower edge `e` and the `count` behind it by the ways over each other; from `at` on stand those between their ends.

    Parameters:
        up: costs (e,) of the edges upwards; (e, LANES) in lanes.
        down: costs (e,) of the edges downwards; (e, LANES) in lanes.
        e: the edge.
        between_up: costs upwards between the ends of the edges behind it.
        between_down: costs downwards between them.
        at: where in these they begin.
        count: how many edges stand behind it.
    """
    if count >= 2 * RUN:
        _settle_16(up, down, e, between_up, between_down, at, count)
    elif count >= RUN:
        _settle_8(up, down, e, between_up, between_down, at, count)
    else:
        up_e, down_e = up[e], down[e]
        for b in range(count):
            f, up_k, down_k = e + 1 + b, between_up[at + b], between_down[at + b]
            up_f, down_f = up[f], down[f]
            up_e = min(up_e, np.uint32(up_f + down_k))
            down_e = min(down_e, np.uint32(up_k + down_f))
            up[f] = min(up_f, np.uint32(up_e + up_k))
            down[f] = min(down_f, np.uint32(down_k + down_e))
        up[e], down[e] = up_e, down_e
