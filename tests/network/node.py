"""One Brucke without a window, told what to do by lines of JSON: run in a network of its own by the tests beside it."""

import json
import os
import random
import select
import sys
import time
from pathlib import Path

import numpy as np
from PyQt6.QtCore import QCoreApplication, QSettings

from brucke.app.network.plain_rtp import send_plain, take_plain
from brucke.app.recording.take_folders import takes_folder
from brucke.app.session.session import Session
from brucke.app.studio import Studio
from brucke.core.aligning.align import align
from brucke.core.edits.peer_edits import offerable
from brucke.core.network.session_description import read_description
from brucke.engine.processes.forked import FORKS
from brucke.engine.processes.reading import Reading
from brucke.engine.processes.region import Head
from brucke.rehearse import equipment


class Exact:
    """Stand-ins who play to the frame, so that what is left is not theirs."""

    facts_of = staticmethod(equipment.facts_of)

    def world_command(self, setup_file, folders, exact=False, real=(), roomy=False):
        return equipment.world_command(setup_file, folders, True, real, roomy)


class Node:
    def __init__(self, setup, home):
        self.app = self.make_app()
        session = self.session = Session(Exact() if os.environ.get("BRUCKE_EXACT") else equipment)
        if setup.name != "none":
            session.open(setup)
        self.studio = Studio(session, QSettings(str(home / "s.ini"), QSettings.Format.IniFormat))
        self.show()
        self.said = []
        session.noticed.connect(lambda text, _tone: self.said.append(text))
        session.stands.connect(lambda text, _tone, _holds: self.said.append(text))
        self.two = self.studio.two_computers
        self.pairs = []

    def make_app(self):
        return QCoreApplication([])

    def show(self):
        """Nothing to see."""

    def state(self, **_):
        two = self.two
        return {
            "engine": self.studio.running.state, "said": self.said[-12:],
            "neighbours": [(n.id, n.name, n.known) for n in two.neighbours],
            "talking": [two.talking.name, two.talking.shows, two.talking.types],
            "asks": two.asks,
            "peers": {
                p.id: {
                    "name": p.name, "there": p.state.there, "offer": [(t.key, t.name) for t in p.offer.things],
                    "flows": p.state.flows, "rtt": p.state.round_trip_s, "pm": p.state.plus_minus_s,
                    "watched": p.state.watched_s, "why": p.state.why, "pid": p.pid, "lost": p.state.lost,
                    "late": p.state.late, "address": p.state.address, "restarts": p.restarts,
                }
                for p in two.sessions.values()
            },
            "matched": {k: [m.in_s, m.out_s, m.fast_ppm, m.wander_s, m.lost] for k, m in
                        self.session.facts.matched.items()},
            "networks": {k: [n.plus_minus_s, n.confirmed, n.there] for k, n in self.session.facts.networks.items()},
            "missing": self.session.facts.missing, "measured": self.session.measured,
            "measuring": self.studio.measuring.busy, "taking": self.studio.taking.state,
            "takes": [str(t) for t in sorted(takes_folder(self.session).rglob("take.json"))],
            "parts": [(p.id, p.at_peer) for p in self.session.setup.parts],
            "listeners": [(x.id, x.at_peer) for x in self.session.setup.listeners],
            "open": self.session.live.on_air, "shut": sorted(self.session.live.shut),
            "unknown": [s.detail for t in self.session.timing.listeners for r in t.routes for s in r.stages
                        if s.evidence == "unknown" and s.code == "network"],
            "verdicts": {t.listener: t.verdict.code for t in self.session.timing.listeners},
        }  # fmt: skip

    def do(self, do, **given):
        two, run = self.two, self.studio.running
        match do:
            case "open":
                two.open()
            case "close":
                two.close_all()
            case "agree" | "ask":
                id = next(n.id for n in two.neighbours if n.name == given["name"] and n.known == (do == "ask"))
                (two.agree if do == "agree" else two.ask)(id)
            case "code":
                two.type_code(given["digits"])
            case "answer":
                two.answer(next(iter(two.asks)), given["yes"])
            case "offer":
                assert given["key"] in dict(offerable(self.session.setup)), offerable(self.session.setup)
                two.offer(given["key"], given.get("on", True))
            case "take":
                for id, peer in two.sessions.items():
                    for thing in peer.offer.things:
                        if thing.key == given["key"] and given.get("of", id) == id:
                            two.take(id, thing)
            case "find":
                for peer in two.sessions.values():
                    peer.find_set_point()
            case "sleep":  # as the kernel would tell it
                run.slept.emit()
            case "start":
                run.start(play=given.get("play", True))
            case "stop":
                run.stop()
            case "measure":
                self.studio.measuring.count_s = 0.0
                self.studio.measuring.begin()
            case "align":
                self.session.edit("in step", align(self.session.situation), "align")
            case "record":
                self.studio.taking.record(asks=False)
            case "air":
                run.set_on_air(given["on"])
            case "send_plain":
                return {"sdp": send_plain(two, given["address"], given["port"])}
            case "take_plain":
                take_plain(two, read_description(given["sdp"].encode()))
            case "end_plain":
                for id in [id for id in two.sessions if id.startswith("rtp:")]:
                    two.part(id)
            case "let":
                two.let_hear(given["listener"], given["on"])
            case "keep":
                return self.keep(**given)
        return {}

    def keep(self, parts, listeners, seconds, file):
        """The newest sound of these parts and listeners, and when each frame was, by the engine's own count."""
        link, s = self.studio.running.link, self.session.setup
        rows = []
        for id in parts:
            at = next(i for i, p in enumerate(s.parts) if p.id == id)
            rows.append(2 * link.order.parts[at][0])
        for id in listeners:
            at = next(i for i, x in enumerate(s.listeners) if x.id == id)
            rows.append(2 * link.shape.parts + link.shape.channels * link.order.listeners[at])
        for _ in range(100):  # until no block came while it was copied
            done = link.get(Head.RECORDED)
            sound = Reading.newest(link, rows, seconds)
            if link.get(Head.RECORDED) == done:
                break
        pairs = np.array(self.pairs[-12000:])
        first = done - sound.shape[1]
        np.savez(file, sound=sound, first=first, pairs=pairs, rate=s.rate_hz)
        return {"first": first}

    def run(self):
        while True:
            self.app.processEvents()
            link = self.studio.running.link
            if link is not None and link.running:
                self.pairs.append((link.get(Head.RECORDED), time.monotonic()))
                del self.pairs[:-20000]
            if select.select([sys.stdin], [], [], random.uniform(0.0005, 0.0025))[0]:
                line = sys.stdin.readline()
                if not line:
                    break
                asked = json.loads(line)
                try:
                    answer = self.state() if asked["do"] == "state" else self.do(**asked)
                except Exception as e:
                    answer = {"error": f"{type(e).__name__}: {e}"}
                print(json.dumps(answer), flush=True)
        self.studio.end()


if __name__ == "__main__":
    FORKS.prepare()
    Node(Path(sys.argv[1]), Path(os.environ["HOME"])).run()
