"""A chain at a part, run through the engine block by block."""

import numpy as np
from scipy.signal import freqz

from brucke.core.document.setup import Device, Listener, Part, Route, Setup
from brucke.core.sound.noise_profile import learn
from brucke.core.sound.processors import (
    Compressor,
    DeEsser,
    Equaliser,
    Gain,
    Gate,
    HighPass,
    Limiter,
    NoiseRemoval,
)
from brucke.engine.step.block import BlockEngine
from brucke.engine.step.live import Live
from brucke.engine.step.plan import compile_plan, shape_of

RATE, N = 48000, 128
NOISE = learn("room", (0.01 * np.random.default_rng(4).standard_normal((1, 4 * 48000))).astype(np.float32), 48000)
EVERY = (
    NoiseRemoval(profile="room"),
    HighPass(),
    Gate(threshold_db=-100),
    Equaliser(),
    Compressor(),
    DeEsser(),
    Gain(gain_db=-3),
    Limiter(),
)


def setup_of(chain, channels=(0, 1), rate=RATE):
    card = Device(id="card", name="Card", kind="interface", rate_hz=rate, sets_clock=True, buffer_frames=N, buffers=2)
    part = Part(id="p", name="P", kind="lead", device="card", channels=channels, chain=chain)
    place = Listener(id="x", name="X", kind="monitor", ceiling_db=0.0, device="card")
    routes = (Route(part="p", listener="x"),)
    return Setup(rate_hz=rate, devices=(card,), parts=(part,), listeners=(place,), routes=routes, profiles=(NOISE,))


def engine_of(setup):
    return BlockEngine(shape_of(setup), compile_plan(setup, Live()))


def run(engine, sound):
    sound = np.ascontiguousarray(sound[:, : sound.shape[1] // N * N], np.float32)
    return np.concatenate(
        [engine.step(np.ascontiguousarray(sound[:, i : i + N]))[0].copy() for i in range(0, sound.shape[1], N)], axis=1
    )


def through(chain, sound, rate=RATE):
    return run(engine_of(setup_of(chain, rate=rate)), np.stack([sound, sound]))[0]


def response_db(chain, hz, length=2**15):
    impulse = np.zeros(length, np.float32)
    impulse[0] = 0.01
    heard = through(chain, impulse).astype(np.float64) / 0.01
    return 20 * np.log10(np.abs(freqz(heard, worN=hz, fs=RATE)[1]))
