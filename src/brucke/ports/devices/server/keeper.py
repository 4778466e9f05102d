"""Outlives a Brucke that ended, however it ended: a microphone of ours that a program has chosen stays, silent, until
that program lets it go or a Brucke is back and takes it over; all others are taken away.

python -m brucke.ports.devices.server.keeper — its standard input ends with the process that started it.
"""

import contextlib
import sys
import time

LOOK_S = 0.3


def main() -> None:
    with contextlib.suppress(KeyboardInterrupt):
        sys.stdin.buffer.read()
    # Only now, so that waiting costs next to nothing.
    from ..kind import DeviceError
    from .connection import Connection
    from .graph import Graph
    from .held_microphones import microphones
    from .microphone_lock import MicrophoneLock

    graph, charge, told = Graph(), MicrophoneLock(alone=True), []
    taken_away: set[int] = set()
    with contextlib.suppress(DeviceError):
        connection = Connection("brucke", graph.came, graph.gone, ready=lambda: told.append(True))
        while connection.alive:
            if told:
                if not charge.take():
                    break  # a Brucke is back
                held = microphones(graph)
                for h in held:
                    if not h.programs and h.node.id not in taken_away:  # its number may be somebody else's soon
                        taken_away.add(h.node.id)
                        connection.destroy(h.node.id)
                taken_away &= set(graph.nodes)
                charge.leave()
                if not held:
                    break
            time.sleep(LOOK_S)
        connection.close()


if __name__ == "__main__":
    main()
