"""What Shape shows: one card for every processor of the chosen part, as plain data. No Qt."""

from dataclasses import dataclass

import numpy as np

from ... import words
from ...core.processors import Compressor, DeEsser, Equaliser, Gate, HighPass, Limiter, NoiseRemoval, Processor
from ...core.setup import Part, Setup
from ...core.sound.noise_profile import NoiseProfile
from ...core.sound.parameters import latency_frames, processor_latency_frames
from ...core.sound.response import filter_response_db, level_curve_db
from ...translation import _
from ...words_shape import processor_name, shown_values

POINTS = 96
FILTER_DB, LEVEL_DB = 18.0, -60.0  # the edges of the two kinds of drawing
HZ = np.geomspace(20, 20000, POINTS)
LEVELS = np.linspace(LEVEL_DB, 0, POINTS)


@dataclass(frozen=True)
class ProcessorCard:
    """`curve` are heights 0…1 from left to right, none without a drawing; `straight` what would change nothing."""

    name: str
    on: bool
    cost: str
    values: tuple[tuple[str, str], ...]
    curve: tuple[float, ...]
    straight: tuple[float, float]


@dataclass(frozen=True)
class ShapeData:
    colour: int
    cards: tuple[ProcessorCard, ...]
    cost: str  # of the whole chain
    dry: str  # who gets it dry


def _spectrum(profile: NoiseProfile) -> tuple[float, ...]:
    """The noise over the same frequencies as the filters, 90 dB high."""
    hz = np.linspace(0, profile.rate_hz / 2, len(profile.power))
    db = 10 * np.log10(np.maximum(np.interp(HZ, hz, np.array(profile.power)), 1e-15))
    return tuple(np.clip((db + 120) / 90, 0, 1).round(3).tolist())


def _curve(p: Processor, setup: Setup) -> tuple[tuple[float, ...], tuple[float, float]]:
    if isinstance(p, HighPass | Equaliser):
        db = filter_response_db(p, HZ, setup.rate_hz)
        return tuple(np.clip(0.5 + db / (2 * FILTER_DB), 0, 1).round(3).tolist()), (0.5, 0.5)
    if isinstance(p, NoiseRemoval):
        profile = setup.profile(p.profile)
        return (_spectrum(profile) if profile is not None else ()), (0.0, 0.0)
    if isinstance(p, Gate | Compressor | DeEsser | Limiter):
        db = level_curve_db(p, LEVELS)
        return tuple(np.clip(1 - db / LEVEL_DB, 0, 1).round(3).tolist()), (0.0, 1.0)
    return (), (0.0, 0.0)


def _card(p: Processor, setup: Setup) -> ProcessorCard:
    rate_hz, frames = setup.rate_hz, processor_latency_frames(p, setup.block_frames)
    curve, straight = _curve(p, setup)
    cost = words.ms_text(frames / rate_hz, 1) if frames else _("0 ms")
    return ProcessorCard(processor_name(p), p.on, cost, tuple(shown_values(p)), curve, straight)


def shape_data(setup: Setup, part: Part | None) -> ShapeData:
    if part is None:
        return ShapeData(0, (), "", "")
    frames = latency_frames(part.chain, setup.block_frames)
    cost = _("processing costs {ms}").format(ms=words.ms_text(frames / setup.rate_hz, 1) if frames else _("no time"))
    dry = [
        x.name for x in setup.listeners if (r := setup.route(part.id, x.id)) is not None and r.on and not r.processed
    ]
    text = _("{names} gets it dry").format(names=dry[0]) if len(dry) == 1 else ""
    text = _("{names} get it dry").format(names=", ".join(dry)) if len(dry) > 1 else text
    cards = tuple(_card(p, setup) for p in part.chain)
    return ShapeData(part.colour, cards, cost if part.chain else "", text if part.chain else "")
