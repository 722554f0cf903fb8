"""Compiled functions that others call by their address: compiled once, and not once more into everything that calls them.

What numba links into a caller is optimised anew with it.  Where large functions call large functions, most of the time of
compiling went into doing the same work again.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np
from llvmlite import ir
from numba import cfunc, typeof, types
from numba.core import cgutils, config
from numba.core.errors import TypingError
from numba.extending import intrinsic

from jump_lane.switching.propagators import OPTIONS

INTERPRETED = bool(getattr(config, "DISABLE_JIT", False))
"""Whether nothing is compiled, which tests of single functions ask for."""


class Apart:
    """A function of a pointer to one record (a named tuple of numbers, arrays and such tuples) that returns a whole number."""

    def __init__(self, function: Callable[[Any], int], allocates: bool) -> None:
        self.function = function
        self._options: dict[str, Any] = {**OPTIONS, "_nrt": allocates}
        self._compiled: dict[Any, Any] = {}
        self._types: set[Any] = set()

    def address(self, record: Any) -> int:
        """Return the address of the function, compiled for records such as this one.

        Ask for it before compiled code that calls the function: what that may call it with is known from then on.
        """
        if INTERPRETED:
            return 0
        form = _form(record)
        if form not in self._compiled:
            kind = typeof(record)
            self._types.add(kind)
            self._compiled[form] = cfunc(types.int64(types.CPointer(kind)), **self._options)(self.function)
        return int(self._compiled[form].address)

    def calling(self) -> Any:
        """Return what compiled code calls the function with: of an address and a record that is laid down."""
        if INTERPRETED:
            return lambda _, place: self.function(place)

        @intrinsic
        def call(_: Any, address: Any, place: Any) -> Any:
            if place.dtype not in self._types:
                raise TypingError(f"{self.function.__name__} is not compiled for {place.dtype}")
            return types.int64(types.int64, place), _code_of_call

        return call


def _form(record: Any) -> Any:
    """Return what the type of a record depends on; asking numba for it takes a millisecond."""
    if isinstance(record, np.ndarray):
        return record.dtype.char, record.ndim, record.flags.carray
    if isinstance(record, tuple):
        return type(record), *map(_form, record)
    return type(record)


def _code_of_call(context: Any, builder: Any, signature: Any, arguments: Any) -> Any:
    """Build the call: the place of the record is handed over."""
    address, place = arguments
    form = ir.FunctionType(ir.IntType(64), [place.type])
    return builder.call(builder.inttoptr(address, form.as_pointer()), [place])


def _code_of_laying(context: Any, builder: Any, signature: Any, arguments: Any) -> Any:
    """Build the copy of a record among the variables of the function that lays it down."""
    kind = signature.args[0]
    place = cgutils.alloca_once(builder, context.get_data_type(kind))
    context.pack_value(builder, kind, arguments[0], place)
    return place


def _laying() -> Any:
    if INTERPRETED:
        return lambda record: (record,)

    @intrinsic
    def lay(_: Any, record: Any) -> Any:
        return types.CPointer(record)(record), _code_of_laying

    return lay


laid = _laying()
"""Lays a record down in the compiled function that asks for it, as long as that runs: once for many calls."""
