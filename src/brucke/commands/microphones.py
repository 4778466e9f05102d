"""Microphones of ours that programs of this computer have chosen, and letting them go where no Brucke runs."""

import argparse
import threading
from typing import Any

from ..ports.devices.kind import DeviceError
from ..ports.devices.server.microphone_lock import MicrophoneLock
from .command_line import CommandLine
from .output import CannotDo, emit

TOLD_WITHIN_S = 5.0


def microphones(args: argparse.Namespace) -> int:
    """Which there are and who has chosen them; with `--let-go` they are taken away, and the desktop gives those
    programs another one."""
    from ..ports.devices.server_choice import spoken

    charge = MicrophoneLock(alone=True)
    if args.let_go and not charge.take():
        raise CannotDo("a Brucke is running and looks after its microphones; quit it first")
    try:
        found = _newer(args.let_go) if spoken(anew=True) == "newer" else _older(args.let_go)
    finally:
        charge.leave()

    def lines() -> list[str]:
        done = "let go" if args.let_go else "silent while no Brucke runs"
        said = [f"{m['name']}: chosen by {' and '.join(m['chosen_by']) or 'nobody'}, {done}" for m in found]
        return said or ["none of ours is there"]

    emit(args, {"microphones": found, "let_go": args.let_go}, lines)
    return 0


def _newer(let_go: bool) -> list[dict[str, Any]]:
    from ..ports.devices.server.connection import Connection
    from ..ports.devices.server.graph import Graph
    from ..ports.devices.server.held_microphones import microphones as there

    graph, told = Graph(), threading.Event()
    connection = Connection("brucke.microphones", graph.came, graph.gone, ready=told.set)
    try:
        if not told.wait(TOLD_WITHIN_S):
            raise DeviceError("the desktop's sound server: it did not tell what there is")
        held = there(graph)
        for h in held if let_go else ():
            connection.destroy(h.node.id)
        if let_go and held:
            told.clear()
            connection.sync()
            told.wait(TOLD_WITHIN_S)
        return [{"node": h.node.name, "name": h.node.description, "chosen_by": list(h.programs)} for h in held]
    finally:
        connection.close()


def _older(let_go: bool) -> list[dict[str, Any]]:
    from ..ports.devices.older.modules import chosen, connected, unload_named

    with connected("brucke.microphones") as pulse:
        held = chosen(pulse)
        shown = {s.name: s.description for s in pulse.source_list() if s.name in held}
        if let_go:
            unload_named(pulse, held)
        return [{"node": name, "name": said, "chosen_by": ["a program"]} for name, said in shown.items()]


def add_commands(to: CommandLine) -> None:
    p = to.add("microphones", microphones, "ours that programs have chosen, silent while no Brucke runs")
    p.add_argument("--let-go", action="store_true", help="take them away: those programs get another one")
