"""What the tray shows and offers, as it is now. Pure."""

from collections.abc import Sequence

import msgspec

from ...core.document.setup import Setup
from ...core.routing.person import own_microphone
from ...core.timing.arrivals import Timing
from ...engine.step.live import Live, doors, open_doors
from ...words.timing import listener_name, needs_you, verdict_text
from ...words.translation import _
from ..paint.mark import State

LONGEST = 90


class Entry(msgspec.Struct, frozen=True):
    """`id` is what it asks for, “” for a line between; `checked` None where it is no switch."""

    id: str = ""
    text: str = ""
    checked: bool | None = None
    enabled: bool = True


class Now(msgspec.Struct, frozen=True):
    """`sounds` while the engine runs, `hears` who hears you, in words; `trouble` what is wrong, “” nothing."""

    setup: Setup
    live: Live
    timing: Timing
    sounds: bool
    hears: str
    trouble: str = ""
    fading: bool = False


def state_of(now: Now) -> State:
    """Its shape: open as soon as anybody else may hear something."""
    if not now.sounds or now.live.silent:
        return "silent"
    shut = bool(doors(now.setup)) and not open_doors(now.setup, now.live)
    return "open" if now.live.on_air and not shut else "closed"


def in_step_text(setup: Setup, timing: Timing) -> str:
    """One line: what needs you first, else that nothing does."""
    bad = [t for t in timing.listeners if needs_you(t.verdict)]
    if not timing.listeners:
        return _("Nobody listens yet")
    if not bad:
        return _("In step: {names}").format(names=", ".join(listener_name(setup, t.listener) for t in timing.listeners))
    return f"{listener_name(setup, bad[0].listener)}: {verdict_text(setup, bad[0].verdict)}"


def entries(now: Now) -> tuple[Entry, ...]:
    """From the top."""
    setup, live = now.setup, now.live
    opened = open_doors(setup, live)
    hears = _short(now.hears)
    found = [Entry("hears", hears, enabled=False), Entry()]
    if now.trouble:
        found.insert(1, Entry("trouble", _short(now.trouble), enabled=False))
    for x in doors(setup):
        text = _("Let {name} hear").format(name=listener_name(setup, x))
        found.append(Entry(f"door/{x}", text, x in opened, now.sounds))
    if not doors(setup):
        found.append(Entry("on_air", _("Let them hear"), live.on_air, now.sounds))
    elif len(doors(setup)) > 1:
        found.append(
            Entry("on_air", _("Let nobody hear") if live.on_air else _("Let those chosen hear"), None, now.sounds)
        )
    mine = own_microphone(setup)
    if mine is not None:
        found.append(Entry("mute_me", _("Mute {name}").format(name=mine.name), mine.id in live.muted, now.sounds))
    found += [Entry("silence", _("Silence"), live.silent, now.sounds), *_moments(setup, live.moment), Entry()]
    found.append(Entry("in_step", in_step_text(setup, now.timing), enabled=False))
    bye = _("Goodbye at once") if now.fading else _("Goodbye")
    found += [Entry(), Entry("goodbye", bye, None, now.sounds)]
    found.append(Entry("start_stop", _("Stop") if now.sounds else _("Start"), None, not live.on_air))
    return (*found, Entry("show", _("Show Brucke")), Entry("quit", _("Quit")))


def _short(text: str) -> str:
    """As a line of a menu."""
    text = text[:1].upper() + text[1:]
    return text if len(text) <= LONGEST else text[: LONGEST - 1] + "…"


def _moments(setup: Setup, chosen: str) -> Sequence[Entry]:
    if len(setup.moments) < 2:
        return ()
    return [Entry(), *(Entry(f"moment/{m.id}", m.name, m.id == chosen) for m in setup.moments)]
