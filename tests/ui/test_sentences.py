"""One table of the sentences that say how things stand, each with when it is true. A walk through states reads every
text of one page after another, and whatever stands there has to be so: two that exclude one another cannot both be."""

import os
import re
from collections import Counter

import numpy as np
import pytest
from msgspec.structs import replace
from PyQt6.QtWidgets import QApplication

from brucke.app.sound_server.microphone_consumers import MicrophoneConsumer
from brucke.core.edits.route_edits import set_delay
from brucke.core.knowledge.evidence import Measurement
from brucke.core.knowledge.quantities import ROUND_TRIP
from brucke.core.timing.make_evidence import now
from brucke.core.timing.verdicts import wide
from brucke.engine.step.live import open_doors, open_now, with_door
from brucke.ports.devices.server.names import SERVER

from .shown_texts import texts_of

STEPS = int(os.environ.get("BRUCKE_SENTENCES", "140"))
LISTENERS = {"Lounge call": "lounge_call", "Shore stream": "shore_stream"}


def runs(w, _m):
    return w.running.state == "running"


def by_name(w, name):
    return next(x for x in w.session.setup.listeners if x.name.lower() == name.lower())


def is_open(w, m):
    return open_now(w.session.setup, by_name(w, m[1]), w.session.live)


def doubtful(w, _m):
    known = w.session.knowledge
    ways = [known.counting(ROUND_TRIP, w.session.setup, *x.ids) for x in ROUND_TRIP.ways(w.session.setup)]
    return any(m is not None and known.unconfirmed(m) for m in ways)


def delays(w, m):
    """The button on the chosen route in Align."""
    setup, route = w.session.setup, (w.align.part, w.align.listener)
    off_ms = 1e3 * w.session.timing.of(route[1]).route(route[0]).off.value
    return float(m[1]) == pytest.approx(-off_ms, abs=0.06) and bool(m[2]) == bool(setup.route(*route).delay_ms)


def is_simply_in_step(r):
    return r.in_step and r.measured and not r.as_of and not wide(r.off, r.kind)


# What is read (the whole text, or where it begins or ends with ^ and $), and when it is so.
SENTENCES = {
    r"^They hear you(?! whatever|:)": lambda w, m: runs(w, m) and w.session.live.on_air and not w.session.live.silent,
    r"They hear you: |While they hear you": lambda w, _m: w.session.live.on_air,
    r"^They hear silence": lambda w, m: runs(w, m) and w.session.live.silent,
    r"nobody hears you: stopped": lambda w, _m: w.running.state == "stopped",
    r"^Nobody hears you": lambda w, _m: not w.audience.heard(),
    r"(?:^|; )([A-Z][\w ]+?) hears? (?:harp|voice|lounge|tide)": lambda w, m: any(
        m[1].startswith(x.name) for x in w.session.setup.listeners if x.id in dict(w.audience.heard())
    ),
    r"([A-Z]\w+ \w+) may hear you": lambda w, m: is_open(w, m),
    r"([A-Z]\w+ \w+) does not hear you": lambda w, m: not is_open(w, m),
    r"nobody has chosen it yet": lambda w, _m: any(not e for e in w.desktop.consumers.values()),
    r"program has chosen it": lambda w, _m: any(w.desktop.consumers.values()),
    r"plays nothing": lambda w, _m: bool(w.session.facts.quiet),
    r"is not there: you hear nothing": lambda w, _m: any(out for _in, out in w.session.facts.ends_gone.values()),
    r"itself, (?:past|not) Brucke": lambda w, _m: bool(w.session.facts.bare),
    r"Start first|nothing is running yet|^Nothing is running": lambda w, m: not runs(w, m),
    r"^Stopped$": lambda w, m: not runs(w, m),
    r"^Sounding\b": runs,
    r"as measured on|was dropped or restarted since": doubtful,
    r"Nothing measured yet|^not measured yet": lambda w, _m: not w.session.measured,
    r"^Delay ([\d.]+) ms( more)?$": delays,
    r"^in step$": lambda w, _m: any(
        is_simply_in_step(r) for t in w.session.timing.listeners for r in t.routes if r.off is not None
    ),
    r"(?:^|: )in step as measured|^in step on \d": doubtful,
    r"[Ss]imulated|stand-in": lambda w, _m: not any(d.card for d in w.session.setup.devices),
    r"^Silence: ": lambda w, _m: w.session.live.silent,
}


# What happens, and how often beside the others.
HAPPENS = {
    "door": 3, "silent": 1, "mute": 2, "moment": 2, "chooses": 4, "quiet": 1, "bare": 1, "ends": 1, "runs": 3,
    "measure": 2, "doubt": 1, "delay": 3,
    "undo": 1, "everywhere": 2, "words": 1, "empty": 1, "try": 3,
}  # fmt: skip
PLACES = ("gather", "align", "share", "review", "soundcheck", "shape")


def measured(session, ms):
    return Measurement(
        key=ROUND_TRIP.key("table"), value_s=ms / 1e3, plus_minus_s=1e-6, date=now(), method="sweeps", repeats=4,
        agreeing=4, fingerprint=ROUND_TRIP.fingerprint(session.setup, "table"), proof=(0.0, 0.2, 1.0, 0.2, 0.0),
    )  # fmt: skip


def step(w, rng) -> str:
    session, facts = w.session, w.session.facts
    if session.live.silent and rng.random() < 0.6:
        w.do("silence")
    live = session.live
    listener = str(rng.choice(list(LISTENERS.values())))
    what = str(rng.choice(list(HAPPENS), p=np.array(list(HAPPENS.values())) / sum(HAPPENS.values())))
    match what:
        case "door":
            opens = listener not in open_doors(session.setup, live)
            after = with_door(session.setup, live, listener, opens)
            session.set_live(after if rng.random() < 0.6 else replace(live, on_air=not live.on_air))
        case "silent":
            w.do("silence")
        case "mute":
            session.set_live(replace(live, muted=live.muted ^ {str(rng.choice([p.id for p in session.setup.parts]))}))
        case "moment":
            session.set_live(replace(live, moment=str(rng.choice([m.id for m in session.setup.moments]))))
        case "chooses":
            ear = [(), (MicrophoneConsumer("Call program", False),), (MicrophoneConsumer("Call program", True),)][
                rng.integers(3)
            ]
            w.desktop.microphones.of = {**w.desktop.consumers, listener: ear}
        case "quiet":
            session.see(replace(facts, quiet=() if facts.quiet else ("harp",)))
        case "bare":
            session.see(replace(facts, bare=() if facts.bare else (("Other caller", "Table"),)))
        case "ends":
            session.see(replace(facts, ends_gone={} if facts.ends_gone else {"table": ("", "Table phones")}))
        case "runs":
            w.running.state = str(rng.choice(["stopped", "running", "starting"]))
        case "measure":
            session.learn(session.knowledge.with_measurement(measured(session, float(rng.uniform(8, 14)))))
        case "doubt":
            session.learn(session.knowledge.doubted([ROUND_TRIP.key("table")], now(), "test"))
        case "delay":
            part = str(rng.choice(["harp", "voice"]))
            session.edit("some", set_delay(session.setup, part, listener, float(rng.uniform(0, 30))), "align")
        case "empty":
            silent = tuple(replace(r, on=r.listener != listener) for r in session.setup.routes)
            session.edit("none", replace(session.setup, routes=silent), "share")
        case "try":
            w.do(
                str(rng.choice(["on_air", "goodbye"]))
                if w.running.why_silent and not live.on_air
                else "start_stop"
                if live.on_air
                else "next_listener"
            )
        case "undo" | "everywhere" | "words":
            w.do({"words": "detail"}.get(what, what))
    for changed in (w.desktop.changed, w.running.changed, w.taking.changed):
        changed.emit()
    return what


@pytest.mark.parametrize("here", [False, True], ids=["stand-ins", "this computer"])
def test_whatever_stands_on_a_page_is_so(window, here):
    w, rng, way, seen = window, np.random.default_rng(23), [], Counter()
    w.clock.tick.disconnect()
    if here:
        cards = {"table": SERVER, "lounge_call": SERVER, "shore_stream": SERVER}
        devices = tuple(replace(d, card=cards.get(d.id, d.card)) for d in w.session.setup.devices)
        w.session.replace(replace(w.session.setup, devices=devices))
        w.desktop.state = "up"
    w.desktop.microphones.of = dict.fromkeys(LISTENERS.values(), ())
    for n in range(STEPS):
        way.append(step(w, rng))
        w.go_to(PLACES[n % len(PLACES)])
        if w.place == "gather":
            w.gather.show_page(str(rng.choice(["parts", "here", "ends"])))
        w.align.choose_listener(str(rng.choice([x.id for x in w.session.setup.listeners])))
        w.align.choose_part(str(rng.choice([p.id for p in w.session.setup.parts])))
        w.checking.renew()  # as it does a moment after every change
        w.notice.tick()
        QApplication.processEvents()
        shown = texts_of(w)
        for text in shown:
            for pattern, so in SENTENCES.items():
                for m in re.finditer(pattern, text):
                    seen[pattern] += 1
                    assert so(w, m), (way[-6:], w.place, text, pattern)
    assert len(seen) > 0.7 * len(SENTENCES), f"walks that come nowhere tell nothing: {set(SENTENCES) - set(seen)}"
    w.running.state = "stopped"
