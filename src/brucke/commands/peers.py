"""Other computers: who can be found now, who is known, and to whom a Brucke that runs is open."""

import argparse
import json
import socket
import time
from typing import Any

from .command_line import CommandLine, duration
from .output import CannotDo

LOOKS_S = 3.0


def peers(args: argparse.Namespace) -> int:
    """This computer can be found, too, while it looks."""
    from platformdirs import user_config_path

    from ..app.network.lobby_process import LobbyProcess
    from ..ports.network.lobby_messages import Neighbours, Trouble

    now, why = Neighbours(), ""
    lobby = LobbyProcess(user_config_path("brucke") / "peers", args.name or socket.gethostname())
    try:
        until = time.monotonic() + args.seconds
        while time.monotonic() < until and lobby.alive:
            while lobby.told:
                said = lobby.told.popleft()
                now = said if isinstance(said, Neighbours) else now
                why = said.why if isinstance(said, Trouble) else why
            time.sleep(0.05)
    finally:
        lobby.end()
    if why:
        raise CannotDo(f"other computers cannot be looked for: {why}")
    found: dict[str, list[dict[str, Any]]] = {
        "found": [{"id": n.id, "name": n.name, "address": n.address, "known": n.known} for n in now.found],
        "agreed": [{"id": n.id, "name": n.name, "address": n.address} for n in now.agreed],
        "open": _open(),
    }
    if args.json:
        print(json.dumps(found, ensure_ascii=False))
        return 0
    for n in found["found"]:
        print(f"{n['name']}  {n['address']}  {'known' if n['known'] else 'not known yet'}")
    gone = [n for n in found["agreed"] if n["id"] not in {x["id"] for x in found["found"]}]
    for n in gone:
        print(f"{n['name']}  known, not found now")
    for n in found["open"]:
        print(f"open to {n['name']}  {n['address']}  {'answers' if n['there'] else 'does not answer'}")
    if not any(found.values()):
        print("nobody is found, nobody is known")
    return 0


def _open() -> list[dict[str, Any]]:
    """By what a Brucke that runs says of itself; nothing where it has ended."""
    from ..app.network.open_file import read_open

    return read_open()


def add_commands(to: CommandLine) -> None:
    p = to.add("peers", peers, "other computers: found, known, open")
    p.add_argument("--seconds", type=duration, default=LOOKS_S, metavar="N", help="how long to look")
    p.add_argument("--name", default="", help="what this computer is called while it looks")
