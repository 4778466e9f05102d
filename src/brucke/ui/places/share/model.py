"""What Share shows: one cell for every part and listener, as plain data. No Qt."""

from collections.abc import Iterable

import msgspec

from ....core.checks.soundcheck import Result
from ....core.document.setup import Listener, Part, Setup
from ....core.edits.listener_edits import Heard, heard_by
from ....core.findings import Finding
from ....core.routing.feedback_loops import own_return
from ....core.timing.arrivals import ListenerTiming, RouteTiming, Timing, Unjudged
from ....words import timing as words
from ....words.documents import LISTENER_KINDS
from ....words.soundcheck import short_text
from ....words.translation import _

HEARD_WORDS = {"all": _("all"), "some": _("some"), "none": _("none")}
BUT_THEMSELVES = _("everyone but themselves")
FURTHEST_MS = 60.0  # how far from in step the little mark can go


class Cell(msgspec.Struct, frozen=True):
    """`state`: on, off, kept out. `offset` −1…1 is where the mark stands, None without one; `note` what is wrong."""

    state: str
    colour: int
    gain: str = ""
    timing: str = ""
    tone: str = "mute"
    offset: float | None = None
    note: str = ""
    said: str = ""


class Heads(msgspec.Struct, frozen=True):
    """A row or column head: name, what it is, colour of a part."""

    id: str
    name: str
    kind: str
    colour: int = -1
    note: str = ""


class ShareData(msgspec.Struct, frozen=True):
    parts: tuple[Heads, ...]
    listeners: tuple[Heads, ...]
    heard: tuple[tuple[Heard, Heard], ...]  # by me, by them, of every part
    heard_words: tuple[tuple[str, str], ...]  # the same in words
    cells: tuple[tuple[Cell, ...], ...]  # [part][listener]


def cell_findings(results: Iterable[Result], part: str, listener: str) -> list[Finding]:
    """What concerns one cell; the timing of a route has its own words there."""
    return [
        f for r in results for f in r.findings
        if f.part == part and f.listener == listener and f.code not in ("out_of_step", "picture_first")
    ]  # fmt: skip


def listener_findings(results: Iterable[Result], listener: str) -> list[Finding]:
    return [f for r in results for f in r.findings if f.listener == listener and not f.part]


def _timing_words(r: RouteTiming | Unjudged, on_purpose: bool) -> tuple[str, str, float | None]:
    """(words, tone, where the mark stands)."""
    if isinstance(r, Unjudged) or r.problem is not None:
        return _("not judged"), "coral", None
    if r.unknown:
        return _("unknown"), "mute", None
    if r.kind == "far_end":
        return f"{r.arrival.value * 1e3:.0f} ms", "mute", None
    if r.off is None:
        return f"{sum(s.latency.value for s in r.stages) * 1e3:.1f} ms", "water", None
    off = r.off.value * 1e3
    share = max(-1.0, min(1.0, off / FURTHEST_MS))
    if r.in_step:
        return "", "water", 0.0
    return f"{abs(off):.0f} {'early' if off < 0 else 'late'}", "mute" if on_purpose else "coral", share


def _cell(setup: Setup, part: Part, listener: Listener, t: ListenerTiming | None, notes: list[Finding]) -> Cell:
    route = setup.route(part.id, listener.id)
    where = f"{part.name} to {listener.name}"
    note = next((s for f in notes if (s := short_text(f))), "")
    if own_return(part, listener.id) and (route is None or not route.on):
        return Cell(
            _("kept out"), part.colour, said=_("{where}: their own echo, kept out").format(where=where), note=""
        )
    if route is None or not route.on:
        return Cell("off", part.colour, said=f"{where}: off")
    r = t.of_part(part.id) if t is not None else None
    text, tone, offset = _timing_words(r, t.wanted_so) if t is not None and r is not None else ("", "mute", None)
    if part.kind == "picture":
        gain = _("kept") if listener.kind == "recorder" else _("seen")
    else:
        gain = words.db_text(route.gain_db)
    if part.chain and not route.processed:
        gain += _(" dry")
    said = ", ".join(x for x in (f"{where}: on", gain, text, note) if x)
    return Cell("on", part.colour, gain, text, tone, offset, note, said)


def share_data(setup: Setup, timing: Timing, results: Iterable[Result]) -> ShareData:
    results = list(results)
    by_cell: dict[tuple[str, str], list[Finding]] = {}
    for r in results:
        for f in r.findings:
            if f.listener and f.code not in ("out_of_step", "picture_first"):
                by_cell.setdefault((f.part, f.listener), []).append(f)
    times = {t.listener: t for t in timing.listeners}
    cells = tuple(
        tuple(_cell(setup, p, x, times.get(x.id), by_cell.get((p.id, x.id), [])) for x in setup.listeners)
        for p in setup.parts
    )
    parts = tuple(Heads(p.id, p.name, words.KIND_WORDS[p.kind], p.colour) for p in setup.parts)
    listeners = tuple(
        Heads(
            x.id, x.name, LISTENER_KINDS[x.kind], -1,
            next((s for f in by_cell.get(("", x.id), []) if (s := short_text(f))), ""),
        )
        for x in setup.listeners
    )  # fmt: skip
    heard = tuple((heard_by(setup, p.id, True), heard_by(setup, p.id, False)) for p in setup.parts)
    said = tuple(tuple(_heard_word(p, h, them) for h, them in zip(both, (False, True), strict=True)) for p,
        both in zip(setup.parts, heard, strict=True))  # fmt: skip
    return ShareData(parts, listeners, heard, said, cells)  # type: ignore[arg-type]


def _heard_word(part: Part, heard: Heard, them: bool) -> str:
    """Everybody who can hear a far end hears it: nobody is sent their own voice back."""
    return BUT_THEMSELVES if them and heard == "all" and part.kind == "far_end" else HEARD_WORDS[heard]
