"""What is really so in the simulated world. The application never reads this; tests compare with it."""

import hashlib
from typing import Literal

import msgspec
import numpy as np

from ..core.document.setup import Device, Setup
from .opus_timing import LATENCY, RATE

Cable = Literal["unplugged", "plugged", "loud", "wandering"]


class InterfaceTruth(msgspec.Struct, frozen=True):
    """Converter delays in frames with their fractions, each way; noise floor in dBFS."""

    out_frames: float
    in_frames: float
    noise_db: float = -96.0


class ServiceTruth(msgspec.Struct, frozen=True):
    """One-way network and player delay after the coder, in seconds; the way back of a call."""

    there_s: float
    back_s: float = 0.0
    picture_s: float = 0.0  # coder and transport of the picture beyond those of the sound


class CameraTruth(msgspec.Struct, frozen=True):
    """From the middle of the exposure to the finished picture, in seconds."""

    transfer_s: float


class Truth(msgspec.Struct, frozen=True):
    interfaces: dict[str, InterfaceTruth] = {}
    services: dict[str, ServiceTruth] = {}
    cameras: dict[str, CameraTruth] = {}
    scatter_s: float = 0.007
    seed: int = 1
    late_s: dict[str, float] = {}  # parts that somebody's box delays and nothing says so

    def round_trip_frames(self, device: Device) -> float:
        """Hidden round trip *output → input* of an interface in frames, buffers included."""
        t = self.interfaces[device.id]
        return 2 * device.buffer_frames * device.buffers + t.out_frames + t.in_frames


def _rng(seed: int, device: Device) -> "np.random.Generator":  # NumPy loads it when it is asked for
    digest = hashlib.sha256(f"{seed}:{device.id}".encode()).digest()
    return np.random.default_rng(int.from_bytes(digest[:8], "little"))


def invent(setup: Setup, seed: int, exact: bool) -> Truth:
    """A world of its own for every seed; `exact` takes the performers' human scatter away."""
    interfaces, services, cameras = {}, {}, {}
    for device in setup.devices:
        rng = _rng(seed, device)
        if device.kind == "interface":
            interfaces[device.id] = InterfaceTruth(float(rng.uniform(26, 40)), float(rng.uniform(26, 48)))
        elif device.kind == "call":
            services[device.id] = ServiceTruth(float(rng.uniform(0.140, 0.170)), float(rng.uniform(0.140, 0.170)))
        elif device.kind == "stream":
            services[device.id] = ServiceTruth(float(rng.uniform(0.4, 0.6)), 0.0, float(rng.uniform(0.030, 0.050)))
        elif device.kind == "camera":
            cameras[device.id] = CameraTruth(float(rng.uniform(0.045, 0.070)))
    return Truth(interfaces, services, cameras, 0.0 if exact else 0.007, seed)


def reports(setup: Setup, truth: Truth) -> dict[str, float]:
    """What stand-ins say of themselves: a call its delay to the next 10 ms. Converters, streams and cameras say
    nothing. A device that is at a card, or a program of this computer, is no stand-in: nothing is invented for it."""
    said = {}
    coder = LATENCY / RATE
    for id, service in truth.services.items():
        if setup.device(id).kind == "call" and not setup.device(id).card:
            said[f"{id}:out"] = round(service.there_s + coder, 2)
            said[f"{id}:in"] = round(service.back_s + coder, 2)
    return said
