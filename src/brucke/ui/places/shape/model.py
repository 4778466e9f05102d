"""What Shape shows of a chain: one band for every processor, as plain data. No Qt."""

import msgspec
import numpy as np
from msgspec.structs import replace

from ....core.document.setup import Listener, Part, Setup
from ....core.edits.chain_edits import owned
from ....core.sound.chain_parameters import latency_frames
from ....core.sound.processors import NoiseRemoval, OutsideStep, PlugIn, Processor, held
from ....core.units import db_to_gain
from ....engine.step.live import Without
from ....words import timing
from ....words.doing import doing_text
from ....words.processors import kind_of, processor_name
from ....words.shape import PLUG_IN_FAULTS, shown_values
from ....words.translation import _

POINTS = 96
FILTER_DB, LEVEL_DB = 18.0, -60.0  # the edges of the two kinds of drawing
NOISE_DB = (-115.0, 135.0)  # the lower edge of a spectrum and its height
HZ = np.geomspace(20, 20000, POINTS)
LEVELS = np.linspace(LEVEL_DB, 0, POINTS)
Curve = tuple[float, ...]


class ProcessorBand(msgspec.Struct, frozen=True):
    """`doing` is what it is set to do, in one sentence; `costs` whether it takes time; `curve` are heights 0…1 from
    left to right, none without a drawing; `straight` what would change nothing; `threshold` the level it is compared
    with; `bars` (place, height) 0…1; `edges` where bands meet; `note` why it is not heard now though it is on."""

    kind: str
    name: str
    on: bool
    cost: str
    costs: bool
    doing: str
    processor: Processor
    values: tuple[tuple[str, str], ...]
    curve: Curve
    straight: tuple[float, float]
    threshold: float | None = None
    bars: tuple[tuple[float, float], ...] = ()
    edges: tuple[float, ...] = ()
    note: str = ""


class ShapeData(msgspec.Struct, frozen=True):
    ink: str
    bands: tuple[ProcessorBand, ...]
    cost: str  # of the whole chain


NOTHING = ShapeData("mute", (), "")


def hz_share(hz: float) -> float:
    """Where a frequency stands in a drawing, 0…1."""
    return float(np.log(hz / HZ[0]) / np.log(HZ[-1] / HZ[0]))


def spectrum_curve(power: "np.typing.NDArray[np.float64]", rate_hz: float) -> Curve:
    """Power per bin, as noise profiles have it, over the frequencies of the drawings."""
    hz = np.linspace(0, rate_hz / 2, len(power))
    db = 10 * np.log10(np.maximum(np.interp(HZ, hz, power), 1e-15))
    return tuple(np.clip((db - NOISE_DB[0]) / NOISE_DB[1], 0, 1).round(3).tolist())


def _curve(p: Processor, setup: Setup, trim_db: float) -> tuple[Curve, tuple[float, float]]:
    if isinstance(p, NoiseRemoval):
        profile = setup.profile(p.profile)
        power = np.array(profile.power if profile else (0.0,)) * db_to_gain(trim_db) ** 2
        return (spectrum_curve(power, profile.rate_hz) if profile else ()), (0.0, 0.0)
    if (db := p.response_db(HZ, setup.rate_hz)) is not None:
        return tuple(np.clip(0.5 + db / (2 * FILTER_DB), 0, 1).round(3).tolist()), (0.5, 0.5)
    if (db := p.level_out_db(LEVELS)) is not None:
        return tuple(np.clip(1 - db / LEVEL_DB, 0, 1).round(3).tolist()), (0.0, 1.0)
    return (), (0.0, 0.0)


def _bars(p: Processor) -> tuple[tuple[float, float], ...]:
    """The sound and its copies in time: 100 ms wide, 40 dB high."""
    return tuple((0.02 + ms / 100, 0.95 * max(0.05, 1 + db / 40)) for ms, db in p.copies())


def _band(p: Processor, setup: Setup, trim_db: float) -> ProcessorBand:
    rate_hz, frames = setup.rate_hz, p.costs_frames(setup.block_frames)
    curve, straight = _curve(p, setup, trim_db)
    cost = timing.ms_text(frames / rate_hz, 1) if frames else _("0 ms")
    threshold = max(0.0, 1 - held(p, "threshold_db") / LEVEL_DB) if p.TELLS.threshold else None
    return ProcessorBand(
        kind_of(p), processor_name(p), p.on, cost, frames > 0, doing_text(p), p, tuple(shown_values(p)), curve,
        straight,
        threshold, _bars(p), tuple(hz_share(hz) for hz in p.edges_hz()),
    )  # fmt: skip


def ink_of(thing: Part | Listener) -> str:
    return f"part:{thing.colour}" if isinstance(thing, Part) else "water"


def shape_data(
    setup: Setup, owner: str, faults: dict[int, str] | None = None, without: Without | None = None,
    outside: dict[int, str] | None = None,
) -> ShapeData:  # fmt: skip
    """`faults` are what is wrong with plug-ins, and `outside` with steps outside, by place; `without` what is left out
    for comparing."""
    if not owner:
        return NOTHING
    thing = owned(setup, owner)
    trim_db = thing.trim_db if isinstance(thing, Part) else 0.0
    frames = latency_frames(thing.chain, setup.block_frames)
    cost = _("processing costs {ms}").format(ms=timing.ms_text(frames / setup.rate_hz, 1) if frames else _("no time"))
    bands = [_band(p, setup, trim_db) for p in thing.chain]
    for i, p in enumerate(thing.chain):
        if p.on and isinstance(p, PlugIn) and (faults or {}).get(p.place):
            bands[i] = replace(bands[i], note=PLUG_IN_FAULTS[(faults or {})[p.place]])
        if p.on and isinstance(p, OutsideStep) and p.place in (outside or {}):
            bands[i] = replace(bands[i], note=_("trouble: see beside"))
        elif p.on and without is not None and without.owner == owner and without.slot in (-1, i):
            bands[i] = replace(bands[i], note=_("left out now"))
    return ShapeData(ink_of(thing), tuple(bands), cost if thing.chain else "")


class Carried(msgspec.Struct, frozen=True):
    """One route as Shape shows it: `key` part or listener at its other end, whether it is processed here."""

    key: str
    name: str
    processed: bool


def carried(setup: Setup, owner: str) -> tuple[Carried, ...]:
    """Of a part: which listeners get it processed. Of a listener: which parts go through its chain."""
    thing = owned(setup, owner)
    found = []
    if isinstance(thing, Part):
        for x in setup.listeners:
            r = setup.route(thing.id, x.id)
            if r is not None and r.on and r.way == "engine":
                found.append(Carried(x.id, x.name, r.processed))
        return tuple(found)
    for p in setup.parts:
        r = setup.route(p.id, thing.id)
        if r is not None and r.on and r.way == "engine" and p.kind != "picture":
            found.append(Carried(p.id, p.name, not r.bypass))
    return tuple(found)


FELT_S = 0.003  # more of it in one's own headphones is felt: common practice, no source


def felt_at(setup: Setup, owner: str) -> tuple[str, ...]:
    """The headphones in which a player hears their own sound through more processing than can be left unfelt."""
    thing = owned(setup, owner)
    if not isinstance(thing, Part) or latency_frames(thing.chain, setup.block_frames) <= FELT_S * setup.rate_hz:
        return ()
    return tuple(c.key for c in carried(setup, owner) if c.processed and setup.listener(c.key).kind == "monitor")
