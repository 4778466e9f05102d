"""The server's buffers of all our ports at once: asked for, read and filled without a step of Python for each.

Every port has to be asked in every cycle; with ports to spare there are many.
"""

from typing import Any

import numpy as np
from llvmlite import ir
from numba import carray, njit, types  # type: ignore[attr-defined]
from numba.extending import intrinsic

LOUDEST = np.float32(1e3)  # what comes in is no louder, whoever sends it


@intrinsic
def _ask(_typing: Any, get: Any, port: Any, frames: Any) -> Any:
    """Calls the library's function at the address `get`."""

    def code(_context: Any, builder: Any, _signature: Any, arguments: Any) -> Any:
        kind = ir.FunctionType(ir.IntType(64), [ir.IntType(64), ir.IntType(32)])
        return builder.call(builder.inttoptr(arguments[0], kind.as_pointer()), [arguments[1], arguments[2]])

    return types.uintp(types.uintp, types.uintp, types.uint32), code


@intrinsic
def _floats(_typing: Any, address: Any) -> Any:
    def code(context: Any, builder: Any, signature: Any, arguments: Any) -> Any:
        return builder.inttoptr(arguments[0], context.get_value_type(signature.return_type))

    return types.CPointer(types.float32)(types.uintp), code


@njit("void(uintp, uintp[::1], uint32, uintp[::1])", nogil=True, cache=True)
def ask_for(get, ports, frames, found):  # type: ignore[no-untyped-def]
    """The address of every port's buffer of this cycle, 0 where nobody is linked to it."""
    for i in range(len(ports)):
        found[i] = _ask(get, ports[i], frames)


@njit("void(uintp[::1], float32[:, ::1])", nogil=True, cache=True)
def read_from(found, come):  # type: ignore[no-untyped-def]
    """`come` [ports, frames]; what nobody sends is silent."""
    for i in range(len(found)):
        if found[i] == 0:
            come[i] = 0.0
            continue
        sound = carray(_floats(found[i]), (come.shape[1],))
        for k in range(come.shape[1]):
            x = sound[k]
            come[i, k] = -LOUDEST if x < -LOUDEST else LOUDEST if x > LOUDEST else x


@njit("void(uintp[::1], float32[:, ::1])", nogil=True, cache=True)
def write_to(found, go):  # type: ignore[no-untyped-def]
    """`go` [ports, frames]."""
    for i in range(len(found)):
        if found[i] != 0:
            sound = carray(_floats(found[i]), (go.shape[1],))
            for k in range(go.shape[1]):
                sound[k] = go[i, k]


@njit("void(float32[:, :], intp[::1], float32[:, ::1])", nogil=True, cache=True)
def take_rows(come, rows, captures):  # type: ignore[no-untyped-def]
    """The `rows` of `come` [ports, frames], to the same ones of `captures`."""
    for k in range(rows.shape[0]):
        captures[rows[k]] = come[rows[k]]
