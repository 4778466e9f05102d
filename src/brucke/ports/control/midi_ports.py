"""MIDI inputs of this computer, and the outputs that light their lamps. Every input there is is listened to; they come
and go. python-rtmidi at the kernel's sequencer; where there is none, the kernel's raw devices."""

import contextlib
import os
from collections.abc import Callable
from pathlib import Path

import rtmidi

from ...core.control.midi_message import midi_control
from .raw_midi import RawMidi

OURS = "Brucke"
RAW = Path("/dev/snd")
STANDINS = "BRUCKE_RAW_MIDI"  # a folder of pseudo terminals that stand for raw devices


class MidiPorts:
    """`heard(control, pressed)` is called in a thread of the library or of a device, `pressed` None for what has no
    end."""

    def __init__(self, heard: Callable[[str, bool | None], None]):
        self._heard = heard
        self._inputs: dict[str, rtmidi.MidiIn] = {}
        self._lamps: dict[str, rtmidi.MidiOut | None] = {}
        self._raw: dict[str, RawMidi] = {}
        self._scan: rtmidi.MidiIn | None = None

    @property
    def names(self) -> tuple[str, ...]:
        """Of the inputs that are listened to."""
        return (*self._inputs, *self._raw)

    def look(self) -> tuple[str, ...]:
        """Inputs that came are listened to; the names of those that have gone."""
        try:
            there = self._there()
        except rtmidi.RtMidiError:
            there, self._scan = [], None
        gone = [name for name in self._inputs if name not in there]
        for name in gone:
            self._close(name)
        for name in there:
            if name not in self._inputs:
                self._open(name)
        return (*gone, *self._look_raw())

    def _there(self) -> list[str]:
        """Of two with one name the first counts."""
        if self._scan is None:
            with contextlib.suppress(rtmidi.RtMidiError, RuntimeError):
                self._scan = rtmidi.MidiIn(rtmidi.API_LINUX_ALSA, OURS)
        if self._scan is None:
            return []
        return [name for name in self._scan.get_ports() if OURS not in name]

    def _look_raw(self) -> list[str]:
        paths = {} if self._scan is not None else {p.name: p for p in sorted(RAW.glob("midiC*D*"))}
        folder = os.environ.get(STANDINS, "")
        if folder:
            paths |= {p.name: p for p in sorted(Path(folder).iterdir())}
        gone = [name for name, device in self._raw.items() if device.gone or name not in paths]
        for name in gone:
            self._raw.pop(name).close()
        for name, path in paths.items():
            if name not in self._raw and name not in gone:
                with contextlib.suppress(OSError):
                    self._raw[name] = RawMidi(path, self._heard)
        return gone

    def _open(self, name: str) -> None:
        with contextlib.suppress(rtmidi.RtMidiError, RuntimeError, ValueError):
            port = rtmidi.MidiIn(rtmidi.API_LINUX_ALSA, OURS)
            port.open_port(port.get_ports().index(name), "control")
            port.set_callback(lambda event, _data: self._message(event[0]))
            self._inputs[name] = port

    def _message(self, message: list[int]) -> None:
        found = midi_control(message)
        if found is not None:
            self._heard(*found)

    def light(self, message: list[int]) -> None:
        """To every device, or to whatever of the inputs has an output of its own name."""
        for device in tuple(self._raw.values()):
            device.light(message)
        for name in tuple(self._inputs):
            if name not in self._lamps:
                self._lamps[name] = self._output(name)
            port = self._lamps[name]
            if port is not None:
                with contextlib.suppress(rtmidi.RtMidiError):
                    port.send_message(message)

    def _output(self, name: str) -> rtmidi.MidiOut | None:
        with contextlib.suppress(rtmidi.RtMidiError, RuntimeError):
            port = rtmidi.MidiOut(rtmidi.API_LINUX_ALSA, OURS)
            device = name.partition(":")[0]
            names = port.get_ports()
            same = [i for i, n in enumerate(names) if n == name] or [
                i for i, n in enumerate(names) if n.startswith(device)
            ]
            if same:
                port.open_port(same[0], "lamps")
                return port
            port.delete()
        return None

    def _close(self, name: str) -> None:
        for port in (self._inputs.pop(name, None), self._lamps.pop(name, None)):
            if port is not None:
                port.close_port()
                port.delete()
