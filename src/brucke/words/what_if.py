"""What another buffer, rate, chain or limit would do, as sentences."""

from ..core.aligning.what_if import Beside, Outcome, Wish
from ..core.document.setup import Setup
from ..core.edits.chain_edits import owned
from .detail import choose
from .processors import PROCESSOR_NAMES
from .timing import ms_text, verdict_text
from .translation import _

HEAD = (_("listener"), _("as it is"), _("aligned"), _("aligned, with this"))


def block_text(frames: int, rate_hz: int) -> str:
    """“128 frames, 2.7 ms”; plainly, the time."""
    return choose("{takes}", _("{frames} frames, {takes}")).format(frames=frames, takes=ms_text(frames / rate_hz))


def rate_text(rate_hz: int) -> str:
    return f"{rate_hz / 1000:g} kHz"


def without_text(setup: Setup, owner: str, place: int, seconds: float) -> str:
    """“without Voice’s noise removal, 21.3 ms”."""
    thing = owned(setup, owner)
    name = PROCESSOR_NAMES[str(thing.chain[place].__struct_config__.tag)]
    return _("without {name}'s {processor}, {takes}").format(name=thing.name, processor=name, takes=ms_text(seconds))


def outcome_text(setup: Setup, o: Outcome) -> str:
    said = [verdict_text(setup, o.verdict)]
    if o.added_s >= 0.05e-3 and not o.verdict.at_limit:
        said.append(_("{added} added").format(added=ms_text(o.added_s)))
    return ", ".join(said)


def rows(setup: Setup, wanted: Setup, found: list[Beside]) -> list[list[str]]:
    """One row a listener: (name, as it is, aligned, aligned with the wish)."""
    return [
        [setup.listener(b.listener).name, outcome_text(setup, b.now), outcome_text(setup, b.aligned),
        outcome_text(wanted, b.wished)]
        for b in found
    ]  # fmt: skip


def sooner_text(setup: Setup, found: list[Beside]) -> str:
    """Who gains most, who loses: “Shore stream hears it 12.4 ms sooner”; empty where nobody notices."""
    moved = {
        b.listener: b.wished.heard_s - b.aligned.heard_s
        for b in found
        if b.wished.heard_s is not None and b.aligned.heard_s is not None
    }
    said = []
    for listener, s in sorted(moved.items(), key=lambda x: x[1]):
        if abs(s) >= 0.05e-3:
            way = _("{name} {amount} sooner") if s < 0 else _("{name} {amount} later")
            said.append(way.format(name=setup.listener(listener).name, amount=ms_text(abs(s))))
    return _("Heard: {who}.").format(who=", ".join(said)) if said else ""


def label_text(setup: Setup, wish: Wish) -> str:
    """What the step is called in the history."""
    said = []
    if wish.block_frames != setup.block_frames:
        said.append(_("{frames} frames").format(frames=wish.block_frames))
    if wish.rate_hz != setup.rate_hz:
        said.append(rate_text(wish.rate_hz))
    said += [without_text(setup, *x, 0.0).rpartition(",")[0] for x in sorted(wish.without)]
    said += [_("{name} waits at most {most}").format(name=setup.listener(x).name, most=ms_text(most / 1e3, 0)) for x,
        _e, most in wish.waiting]  # fmt: skip
    return _("{what}, everyone in step").format(what=", ".join(said)) if said else _("everyone in step everywhere")
