"""The hour in words, for one's own notes: what was sung and said when, and what went wrong. No sound, no levels."""

from collections.abc import Sequence
from datetime import datetime
from typing import Any

from ..core.document.setup import Setup
from .timing import clock_text, counted, listener_name, moment_name
from .translation import _

MOST_WRONG = 20


def hour_page_text(setup: Setup, events: Sequence[dict[str, Any]]) -> str:
    """The page; “” where nothing was noted."""
    if not events:
        return ""
    first = datetime.fromisoformat(str(events[0]["at"]))
    head = f"{setup.name}, {first.day} {first:%B %Y}"
    said = [f"{str(e['at'])[11:16]}  {text}" for e in events if e["what"] != "wrong" and (text := event_text(setup, e))]
    wrong = [f"{str(e['at'])[11:16]}  {e['says']}" for e in events if e["what"] == "wrong"]
    page = [head, "", _summary(events), "", *said]
    if wrong:
        page += ["", _("What went wrong"), "", *wrong[:MOST_WRONG]]
        if len(wrong) > MOST_WRONG:
            page.append(_("and {count} more").format(count=len(wrong) - MOST_WRONG))
    return "\n".join(page)


def _summary(events: Sequence[dict[str, Any]]) -> str:
    songs = sum(e["what"] == "line" and e.get("kind") == "song" for e in events)
    silences = sum(e["what"] == "silence" for e in events)
    blocks = sum(int(e.get("blocks", 0)) for e in events if e["what"] == "dropouts")
    said = [counted(songs, _("song"))]
    if (opened := open_s(events)) is not None:
        said.append(_("let hear for {clock}").format(clock=clock_text(opened)))
    if silences:
        said.append(_("silence {count} times").format(count=silences) if silences > 1 else _("silence once"))
    said.append(counted(blocks, _("dropout")) if blocks else _("no dropouts while somebody was let hear"))
    return f"{', '.join(said)}."


def open_s(events: Sequence[dict[str, Any]]) -> float | None:
    """For how many seconds somebody was let hear; None where nobody was, or still is."""
    total, since, ever = 0.0, None, False
    for e in events:
        at = datetime.fromisoformat(str(e["at"])).timestamp()
        if e["what"] == "open":
            since, ever = at, True
        elif e["what"] == "closed" and since is not None:
            total, since = total + at - since, None
    return total if ever and since is None else None


def event_text(setup: Setup, e: dict[str, Any]) -> str:
    """One thing that was noted; “” for what has no words of its own."""
    match e["what"]:
        case "line":
            return str(e.get("name", ""))
        case "wrong":
            return str(e.get("says", ""))
        case "moment":
            return _("moment {name}").format(name=moment_name(setup, str(e.get("moment", ""))))
        case "open":
            return _("they are let hear")
        case "closed":
            return _("nobody is let hear any more")
        case "silence":
            return _("silence")
        case "silence over":
            return _("silence is over")
        case "heard":
            return _("{listener}: they say they hear it").format(listener=listener_name(setup, str(e["listener"])))
        case _:
            return ""


def marks_text(marks: Sequence[tuple[float, str]], most: int = 12) -> str:
    """What happened in a take, (seconds, what), as one line: “0:12 First, 1:40 silence”; “” where nothing did."""
    said = [f"{clock_text(at)} {what.rstrip('.')}" for at, what in marks[:most]]
    if len(marks) > most:
        said.append(_("and {count} more").format(count=len(marks) - most))
    return " · ".join(said)
