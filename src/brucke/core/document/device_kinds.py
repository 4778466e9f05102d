"""What equipment of each kind has and can do, one record each. A new kind is its code in `setup.py` and a record here;
who sends or hears through it says so in `edits/part_edits.py` or `edits/listener_edits.py`."""

from typing import Literal

import msgspec

from .setup import DeviceKindCode


class DeviceKind(msgspec.Struct, frozen=True):
    """`frames` × `buffers` is what a new one begins with; without frames it has no buffer of its own. `carried` says
    whether the desktop's sound server can carry it, `program` whether it is then a program of this computer.
    `numbered` is how its channels are counted for the user."""

    code: DeviceKindCode
    frames: int = 0
    buffers: int = 1
    has_rate: bool = True
    carried: bool = False
    program: bool = False
    numbered: Literal["in", "out", ""] = ""


DEVICE_KINDS: dict[DeviceKindCode, DeviceKind] = {
    kind.code: kind
    for kind in (
        DeviceKind("interface", 128, 2, carried=True, numbered="in"),
        DeviceKind("player", 1024),
        DeviceKind("call", 480, carried=True, program=True),
        DeviceKind("stream", 512, 2, carried=True, program=True),
        DeviceKind("camera", has_rate=False),
        DeviceKind("recorder"),
        DeviceKind("workstation", 256, carried=True, program=True, numbered="out"),
        DeviceKind("program", 512, carried=True, program=True),
        DeviceKind("computer", 512, carried=True, program=True),
        DeviceKind("peer"),
    )
}
