"""One open sound card, and the looking for one that is gone; who leads by it and who is matched to another clock is not
known here."""

import contextlib
import os
import subprocess
import sys
import threading
import time
from collections.abc import Callable, Iterator
from typing import Any

import numpy as np
import numpy.typing as npt

from .card_list import find_name, parse_cards
from .kind import MARK

F32 = npt.NDArray[np.float32]
# (what came in [frames, channels], what goes out [frames, channels] to be filled, whether blocks were lost before it,
# when its
# first frame was at the converter, see `at_converter`), in PortAudio's thread.
Called = Callable[[F32, F32, bool, float | None], None]
MOST_BUFFERED_S = 2.0
LOOK_AGAIN_S = 1.0
FIRST_S = 2.0  # a card may take a moment to begin
SERVED = ("default", "pulse")  # what PortAudio calls the ways to the sound server of this desktop
SERVED_NICE = -5  # before other programs, but the server still gets a quarter of a core


def at_converter(now: float, when: Any, comes: bool) -> float | None:
    """Monotonic seconds at which the first frame of a period came in or goes out, from PortAudio's own clock; None
    where the driver does not say. Where there are both directions the one that goes out is steadier."""
    ahead = float((when.inputBufferAdcTime if comes else when.outputBufferDacTime) - when.currentTime)
    return now + ahead if 0 < (-ahead if comes else ahead) < MOST_BUFFERED_S else None


class CardStream:
    """`beat` is when it last called, monotonic seconds."""

    def __init__(
        self, name: str, channels: tuple[int, int], frames: int, rate_hz: int, latency_s: float,
        ends: tuple[str, str] = (
        "", ""),
        taken: tuple[str, ...] = (),
    ):  # fmt: skip
        self._ends, self._taken = ends, taken
        self.name, self.channels, self.frames, self.rate_hz, self.latency_s = name, channels, frames, rate_hz, latency_s
        self.beat = 0.0
        self._stream: Any = None

    def open(self, called: Called) -> bool:
        """Whether it plays and records from now on."""
        import sounddevice as sd

        inputs, outputs = self.channels
        nothing = np.zeros((self.frames, 0), np.float32)

        def both(indata: F32, outdata: F32, _frames: int, when: Any, status: Any) -> None:
            self.beat = time.monotonic()
            called(indata, outdata, bool(status), at_converter(self.beat, when, not outputs))

        def comes(indata: F32, frames: int, when: Any, status: Any) -> None:
            both(indata, nothing, frames, when, status)

        def goes(outdata: F32, frames: int, when: Any, status: Any) -> None:
            both(nothing, outdata, frames, when, status)

        try:
            self._name_ends()
            found = find_name(self.name, [str(d["name"]) for d in sd.query_devices()], self._taken)
            device = next((d for d in sd.query_devices() if d["name"] == found), None)
            if device is None:
                return False
            how = {
                "samplerate": self.rate_hz, "blocksize": self.frames, "device": device["index"], "dtype": "float32",
                "latency": self.latency_s, "prime_output_buffers_using_stream_callback": False,
            }  # fmt: skip
            if not outputs:
                self._stream = sd.InputStream(channels=inputs, callback=comes, **how)
            elif not inputs:
                self._stream = sd.OutputStream(channels=outputs, callback=goes, **how)
            else:
                self._stream = sd.Stream(channels=(inputs, outputs), callback=both, **how)
            self.beat = time.monotonic() + FIRST_S
            with waiting_for_server() if any(self._ends) or self.name in SERVED else contextlib.nullcontext():
                self._stream.start()
        except (sd.PortAudioError, ValueError):
            self.close()
            return False
        return True

    def _name_ends(self) -> None:
        """Read by the server's library when a stream is made: this process makes no other. ValueError for what is no
        name."""
        for name, end in zip(("PULSE_SOURCE", "PULSE_SINK"), self._ends, strict=True):
            if end:
                os.environ[name] = end
        os.environ.setdefault("PULSE_PROP", f"{MARK}={os.getpid()}")

    @property
    def latency(self) -> tuple[float, float]:
        """(in, out) in seconds as PortAudio reports them for the open stream; 0 for a direction that it does not
        have."""
        if self._stream is None:
            return 0.0, 0.0
        said = self._stream.latency
        inputs, outputs = self.channels
        return (said if inputs else 0.0, 0.0 if inputs else said) if not (inputs and outputs) else said

    def silent_for(self, seconds: float) -> bool:
        """Whether it has ended, or called nobody for so long."""
        return self._stream is None or not self._stream.active or time.monotonic() - self.beat > seconds

    def close(self) -> None:
        """Without waiting for a card that no longer answers."""
        stream, self._stream = self._stream, None
        if stream is None:
            return

        def end() -> None:
            try:
                stream.abort(ignore_errors=True)
                stream.close(ignore_errors=True)
            except Exception:
                pass

        ending = threading.Thread(target=end, daemon=True)
        ending.start()
        ending.join(1.0)


@contextlib.contextmanager
def waiting_for_server() -> Iterator[None]:
    """Threads that are begun here do not come before everything. The way to the sound server polls without a pause
    while the server owes it sound: two such threads with real-time priority take both cores of a small computer, and
    the server, which is an ordinary program, never comes to give it."""
    policy, priority = os.sched_getscheduler(0), os.sched_getparam(0)
    nice = os.getpriority(os.PRIO_PROCESS, 0)
    with contextlib.suppress(OSError):
        os.sched_setscheduler(0, os.SCHED_OTHER, os.sched_param(0))
        os.setpriority(os.PRIO_PROCESS, 0, SERVED_NICE)
    try:
        yield
    finally:
        with contextlib.suppress(OSError):
            os.setpriority(os.PRIO_PROCESS, 0, nice)
        with contextlib.suppress(OSError):
            os.sched_setscheduler(0, policy, priority)


def be_ordinary() -> None:
    """A helper of a process that comes before all others comes before nobody."""
    os.sched_setscheduler(0, os.SCHED_OTHER, os.sched_param(0))
    os.setpriority(os.PRIO_PROCESS, 0, max(0, os.getpriority(os.PRIO_PROCESS, 0)))


class CardLook:
    """A helper process is sent to look for a card, now and then."""

    def __init__(self, name: str, taken: tuple[str, ...] = ()):
        self.name, self._taken = name, taken
        self._look: subprocess.Popen[bytes] | None = None
        self._next = 0.0

    def later(self) -> None:
        self._next = time.monotonic() + LOOK_AGAIN_S

    def found(self) -> bool:
        """Whether the helper has seen the card; PortAudio sees it from now on."""
        if self._look is None:
            if time.monotonic() >= self._next:
                self._look = subprocess.Popen(
                    [sys.executable, "-m", "brucke.ports.devices.card_list"],
                    stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, preexec_fn=be_ordinary,
                )  # fmt: skip
            return False
        if self._look.poll() is None:
            return False
        look, self._look = self._look, None
        self.later()
        assert look.stdout is not None
        try:
            cards = parse_cards(look.stdout.read().decode())
        except (ValueError, TypeError):
            return False
        return find_name(self.name, [c.name for c in cards], self._taken) is not None and self._begin_anew()

    def _begin_anew(self) -> bool:
        """PortAudio sees what came back only after it has started again."""
        import sounddevice as sd

        try:
            sd._terminate()
            sd._initialize()
        except sd.PortAudioError:
            return False
        return True
