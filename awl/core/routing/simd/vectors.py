"""What kernels are built of where compilers do not find it by themselves: vectors of the machine, and access without checks."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

from llvmlite import ir
from numba import types
from numba.core import cgutils
from numba.extending import intrinsic

WORD, WIDE = ir.IntType(32), ir.IntType(64)


class Vectors:
    """Builds the body of an intrinsic over vectors of `width` costs; arguments are referred to by their place."""

    def __init__(self, context: Any, builder: Any, signature: Any, args: Any, width: int) -> None:
        self.context, self.builder, self.kinds, self.args, self.width = context, builder, signature.args, args, width
        self.kind = ir.VectorType(WORD, width)

    def data(self, argument: int) -> Any:
        """Pointer to the first element of an array.

        Parameters:
            argument: which argument of the kernel the array is.
        """
        return self.context.make_array(self.kinds[argument])(self.context, self.builder, self.args[argument]).data

    def one(self, data: Any, at: Any) -> Any:
        """The element `at` of an array.

        Parameters:
            data: pointer to the first element.
            at: number of the element.
        """
        return self.builder.load(self.builder.gep(data, [at]))

    def _pointer(self, data: Any, at: Any) -> Any:
        return self.builder.bitcast(self.builder.gep(data, [at]), self.kind.as_pointer())

    def load(self, data: Any, at: Any) -> Any:
        """The vector that begins at the element `at`.

        Parameters:
            data: pointer to the first element.
            at: number of the element.
        """
        return self.builder.load(self._pointer(data, at), align=4)

    def store(self, vector: Any, data: Any, at: Any) -> None:
        """Put a vector from the element `at` on.

        Parameters:
            vector: the vector.
            data: pointer to the first element.
            at: number of the element.
        """
        self.builder.store(vector, self._pointer(data, at), align=4)

    def row(self, at: Any) -> Any:
        """The first element of row `at` of an array (n, width).

        Parameters:
            at: number of the row.
        """
        return self.builder.mul(at, ir.Constant(WIDE, self.width))

    def splat(self, value: Any) -> Any:
        """A vector of one value.

        Parameters:
            value: the value.
        """
        nothing = ir.Constant(self.kind, ir.Undefined)
        first = self.builder.insert_element(nothing, value, ir.Constant(WORD, 0))
        return self.builder.shuffle_vector(first, nothing, ir.Constant(self.kind, [0] * self.width))

    def less(self, one: Any, two: Any) -> Any:
        """The lesser, in each lane.

        Parameters:
            one: a vector.
            two: another vector.
        """
        return self.builder.select(self.builder.icmp_unsigned("<", one, two), one, two)

    def least(self, vector: Any) -> Any:
        """The least of all lanes.

        Parameters:
            vector: the vector.
        """
        name = f"llvm.vector.reduce.umin.v{self.width}i32"
        reduce = cgutils.get_or_insert_function(self.builder.module, ir.FunctionType(WORD, [self.kind]), name)
        return self.builder.call(reduce, [vector])

    def variable(self, value: Any) -> Any:
        """A place for a value that changes in a loop.

        Parameters:
            value: the value it begins with.
        """
        place = cgutils.alloca_once(self.builder, value.type)
        self.builder.store(value, place)
        return place

    @contextmanager
    def ranks(self, first: Any, step: Any, rows: Any) -> Iterator[Any]:
        """A loop over the ranks of a supernode: the edge `first`, then the one `step` behind it, then one less each time.

        Parameters:
            first: the first edge.
            step: how far behind it the next stands.
            rows: how many ranks there are.
        """
        place, stride = self.variable(first), self.variable(step)
        with cgutils.for_range(self.builder, rows):
            edge = self.builder.load(place)
            yield edge
            wide = self.builder.load(stride)
            self.builder.store(self.builder.add(edge, wide), place)
            self.builder.store(self.builder.sub(wide, self.number(1)), stride)

    def number(self, value: int) -> Any:
        """A whole number for counting.

        Parameters:
            value: the number.
        """
        return ir.Constant(WIDE, value)


def _peek(typing: Any, array: Any, at: Any) -> Any:
    """`array[at]` for an index that is never negative: kernels test signed ones for that."""

    def generate(context: Any, builder: Any, signature: Any, args: Any) -> Any:
        vectors = Vectors(context, builder, signature, args, 1)
        return vectors.one(vectors.data(0), args[1])

    return array.dtype(array, types.int64), generate


def _poke(typing: Any, array: Any, at: Any, value: Any) -> Any:
    """`array[at] = value`, likewise; the value is cut to the kind of the array."""

    def generate(context: Any, builder: Any, signature: Any, args: Any) -> Any:
        vectors = Vectors(context, builder, signature, args, 1)
        cast = context.cast(builder, args[2], signature.args[2], array.dtype)
        builder.store(cast, builder.gep(vectors.data(0), [args[1]]))
        return context.get_dummy_value()

    return types.void(array, types.int64, value), generate


def _fetch(typing: Any, array: Any, at: Any) -> Any:
    """Have `array[at]` brought near, to be read soon."""

    def generate(context: Any, builder: Any, signature: Any, args: Any) -> Any:
        place = builder.gep(Vectors(context, builder, signature, args, 1).data(0), [args[1]])
        pointer = builder.bitcast(place, ir.IntType(8).as_pointer())
        kind = ir.FunctionType(ir.VoidType(), [pointer.type, WORD, WORD, WORD])
        prefetch = cgutils.get_or_insert_function(builder.module, kind, "llvm.prefetch.p0")
        builder.call(prefetch, [pointer, *(ir.Constant(WORD, value) for value in (0, 3, 1))])
        return context.get_dummy_value()

    return types.void(array, types.int64), generate


fetch: Any = intrinsic(_fetch)
load_unchecked: Any = intrinsic(_peek)
store_unchecked: Any = intrinsic(_poke)
