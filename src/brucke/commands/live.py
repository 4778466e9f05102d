"""A setup that sounds, without a window."""

import argparse
import json
import signal
import time
from pathlib import Path
from typing import Any

from ..core.files.run_log import begin
from ..ports.devices.server.wiring import made
from .command_line import CommandLine, duration
from .open_to import OpenTo
from .order_input import WORDS, OrderInput
from .output import CannotDo

LOOK_S = 0.02
UP_WITHIN_S = 30.0


def live(args: argparse.Namespace) -> int:
    """Until `--seconds` are over or Ctrl+C; what happens is told as it happens."""
    from PyQt6.QtCore import QCoreApplication, QSettings

    from ..app.session.session import Session
    from ..engine.processes.forked import FORKS

    FORKS.prepare()  # it loads while this process does, too
    from ..app.studio import Studio
    from ..rehearse import equipment

    begin("live")
    app = QCoreApplication.instance() or QCoreApplication([])
    session = Session(equipment)
    session.open(args.setup)
    if not session.setup.parts and not session.setup.listeners:
        raise CannotDo(f"{args.setup.name}: parts: there are none, so nothing can sound")
    studio = Studio(session, QSettings("brucke", "brucke"))
    running = studio.running
    telling = Teller(args.json, session, studio.desktop, running)
    hands = OrderInput(studio, telling.tell) if args.order else None
    there = OpenTo(studio.two_computers, args.peer, args.offer, telling.tell) if args.peer else None
    ended: list[int] = []
    for number in (signal.SIGINT, signal.SIGTERM):
        signal.signal(number, lambda n, _frame: ended.append(n))
    try:
        if args.open:
            running.set_on_air(True)
        running.start(play=not args.order)
        until = None
        while not ended and (until is None or time.monotonic() < until):
            app.processEvents()
            telling.look()
            if there is not None:
                there.look()
            if hands is not None and telling.up:
                hands.look()
            if until is None and telling.up and args.seconds is not None:
                until = time.monotonic() + args.seconds
            if not telling.up and (running.state == "stopped" or time.monotonic() - telling.began > UP_WITHIN_S):
                why = running.why_not or telling.said or "nothing came up in time"
                raise CannotDo(f"{args.setup.name}: {why}")
            time.sleep(LOOK_S)
        telling.done()
    finally:
        running.set_on_air(False)
        studio.end(args.let_go)
    return 0


class Teller:
    """One line for everything that happens: as JSON, or in words."""

    def __init__(self, as_json: bool, session: Any, desktop: Any, running: Any):
        self.json, self.session, self.desktop, self.running = as_json, session, desktop, running
        self.began = time.monotonic()
        self.up = False
        self.said = ""
        self._consumers: dict[str, tuple[Any, ...]] = {}
        self._open: dict[str, bool] = {}
        self._missing: tuple[str, ...] = ()
        self._dropouts: dict[str, int] = {}
        self._state = ""
        self._went_down = False  # an engine that is replaced at once is up again before anybody looks
        running.changed.connect(self._changed)
        session.noticed.connect(self._noticed)
        session.stands.connect(self._wrong)

    def _wrong(self, text: str, tone: str, _holds: object) -> None:
        self._noticed(text, tone)
        if self.up:
            self.tell("wrong", text=text)

    def _noticed(self, text: str, _tone: str) -> None:
        self.said = text.rstrip(".")

    def _changed(self) -> None:
        self._went_down |= self.running.state != "running"

    def tell(self, event: str, **values: object) -> None:
        at = round(time.monotonic() - self.began, 3)
        if self.json:
            print(json.dumps({"event": event, "at_s": at, **values}, ensure_ascii=False), flush=True)
        else:
            rest = ", ".join(f"{k} {v}" for k, v in values.items() if not isinstance(v, list))
            print(f"{at:8.2f} s  {event}  {rest}".rstrip(), flush=True)

    def _named(self, listener: str) -> dict[str, str]:
        """What others see of it."""
        m = next((m for m in made(self.session.setup) if m.of == listener and not m.output), None)
        return {"microphone": m.shown, "node": m.node} if m is not None else {}

    def _listeners(self) -> list[dict[str, object]]:
        from ..engine.step.live import open_now

        setup, live = self.session.setup, self.session.live
        found: list[dict[str, object]] = []
        for x in setup.listeners:
            found.append(
                {
                    "id": x.id, "kind": x.kind, "microphone": "", "node": "", **self._named(x.id),
                    "open": open_now(setup, x, live), "heard_by": [e.program for e in self.desktop.consumers.get(x.id,
                    ())],
                }
            )  # fmt: skip
        return found

    def look(self) -> None:
        state = self.running.state if self.desktop.state != "down" else "down"
        if state == "running" and not self.up and self.desktop.state in ("off", "up") and self.desktop.linked:
            self.up = True
            self._state = state
            self._open = {str(x["id"]): bool(x["open"]) for x in self._listeners()}
            self.tell("up", listeners=self._listeners())
            self._went_down = False
        if not self.up:
            return
        if self._state == "running" and (state != "running" or self._went_down):
            self.tell("down", why=self.said)
            self._state = "down"
        if self._state != "running" and state == "running":
            self.tell("up", listeners=self._listeners())
            self._state = state
        self._went_down = False
        if self.desktop.consumers != self._consumers:
            for id, consumers in self.desktop.consumers.items():
                before = {e.program for e in self._consumers.get(id, ()) if e.flows}
                for e in consumers:
                    if e.flows and e.program not in before:
                        self.tell("heard_by", listener=id, program=e.program, **self._named(id))
            self._consumers = dict(self.desktop.consumers)
        for x in self._listeners():
            id, is_open = str(x["id"]), bool(x["open"])
            if self._open.get(id) != is_open:
                self.tell("opened" if is_open else "closed", listener=id, **self._named(id))
            self._open[id] = is_open
        missing = self.session.facts.missing
        for p in self.session.setup.parts:
            if (p.device in missing) != (p.device in self._missing):
                if p.device in missing:
                    self.tell("gone", part=p.id, why=self.said)
                else:
                    self.tell("joined", part=p.id)
        self._missing = missing
        for why, count in self._counted().items():
            if (more := count - self._dropouts.get(why, 0)) > 0:
                self.tell("dropout", why=why, count=more)
            self._dropouts[why] = count

    def _counted(self) -> dict[str, int]:
        """Dropouts by where they came from; what had come before an engine ended is counted with the next."""
        from ..engine.processes.region import Head

        link = self.running.link
        causes = {"missing input": Head.LATE, "late block": Head.MISSED, "the device": Head.CARD_DROPOUTS}
        if link is None:
            return {}
        matched = sum(m.lost for m in self.session.facts.matched.values())
        return {**{why: link.get(head) for why, head in causes.items()}, "a device with its own clock": matched}

    def done(self) -> None:
        from ..engine.processes.region import Head

        link = self.running.link
        blocks = link.get(Head.FRAMES) // self.session.setup.block_frames if link is not None else 0
        seconds = round(time.monotonic() - self.began, 3)
        self.tell(
            "done", seconds=seconds, blocks=blocks, dropouts=sum(self._dropouts.values()), listeners=self._listeners()
        )


def add_commands(to: CommandLine) -> None:
    p = to.add("live", live, "a setup that sounds, without a window")
    p.add_argument("setup", type=Path)
    p.add_argument("--seconds", type=duration, default=None, metavar="N")
    p.add_argument("--open", action="store_true", help="open every call and stream; else they hear silence")
    p.add_argument("--order", action="store_true", help=f"through the running order by standard input: {WORDS}")
    p.add_argument("--peer", metavar="NAME", help="open to another computer that is known, by its name or number")
    p.add_argument("--offer", action="append", default=[], metavar="KEY", help="what it may take: part:ID, listener:ID")
    p.add_argument("--let-go", action="store_true", help="at the end, also of microphones that a program has chosen")
