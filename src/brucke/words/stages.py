"""What single stages take, as far as measured ways tell, as sentences."""

from collections.abc import Sequence

from ..core.document.setup import Setup
from ..core.knowledge.quantities import ROUND_TRIP
from ..core.measure.stages import FoundStage, FoundStages, MeasuredPath
from ..core.timing.make_evidence import Air
from .equipment import way_text
from .timing import device_name, ms_text, plus_minus_text
from .translation import _

HEAD = (_("stage"), _("takes beyond its buffers"), _("±"), _("how far it is known"))
EMPTY = _(
    "Nothing was measured yet that still counts. Measure the round trip first (M): then this says what of it is which "
    "box."
)
SHARED = _("What is known only together may be shared otherwise, within its ±.")
NO_MORE = _("No other way round would tell more of these.")


def stage_name(setup: Setup, stage: str) -> str:
    code, _colon, device = stage.partition(":")
    way = _("{device} in") if code == "capture" else _("{device} out")
    return way.format(device=device_name(setup, device))


def known_text(setup: Setup, f: FoundStage) -> str:
    if not f.tied:
        return _("by itself")
    names = _(", ").join(stage_name(setup, s) for s in f.tied)
    return _("only together with {names}").format(names=names)


def rows(setup: Setup, found: FoundStages) -> list[list[str]]:
    """One row a stage."""
    return [
        [stage_name(setup, s), ms_text(f.seconds, 2), plus_minus_text(f.plus_minus_s), known_text(setup, f)]
        for s, f in found.of.items()
    ]


def path_name(setup: Setup, path: MeasuredPath) -> str:
    return way_text(setup, ROUND_TRIP.code, ROUND_TRIP.ids(path.name))


def lines(
    setup: Setup, paths: Sequence[MeasuredPath], found: FoundStages, worth: Sequence[tuple[str, ...]]
) -> list[str]:
    """What the ways say together, what contradicts, and which one more would tell."""
    if not paths:
        return [EMPTY]
    said = [_("From {n} measured ways.").format(n=len(paths)) if len(paths) > 1 else _("From one measured way.")]
    if found.contradicts:
        names = [path_name(setup, p) for p in paths if p.name in found.contradicts]
        said.append(
            _("They contradict one another, most of all {names}: something moved between them. Every ± is wider for "
              "it; measure these again.").format(names=_(" and ").join(names))
        )  # fmt: skip
    if any(f.tied for f in found.of.values()):
        said.append(SHARED if worth else f"{SHARED} {NO_MORE}")
    return said


def more_text(setup: Setup, stages: tuple[str, ...]) -> str:
    return _("Measure {out} to {into}").format(out=stage_name(setup, stages[0]), into=stage_name(setup, stages[-1]))


def air_text(setup: Setup, whole_s: float, air: Air) -> str:
    """“10.9 ms = 5.8 ms of air + 5.1 ms of the machine”."""
    if air.metres <= 0:
        return _("Was it measured with a loudspeaker and a microphone? Say how far apart they stood.")
    rest = whole_s - air.seconds
    if rest <= 0:
        return _("So much air alone takes {air}, and all of it was {whole}: the distance cannot be right.").format(
            air=ms_text(air.seconds), whole=ms_text(whole_s))  # fmt: skip
    return _("{whole} are {air} of air and {rest} of the machine, {pm}.").format(
        whole=ms_text(whole_s), air=ms_text(air.seconds), rest=ms_text(rest), pm=plus_minus_text(air.plus_minus_s)
    )  # fmt: skip
