"""One connection to a server of the older protocol, which tells of what there is as the newer one's does: sinks,
sources and streams are nodes with a port each, and who plays where is a link. See `server/connection.py`, whose stead
it takes."""

import contextlib
import json
import logging
import os
import queue
import subprocess
import sys
import threading
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any

import msgspec

from ..kind import MARK
from ..server.names import OURS
from .modules import NONE, connected, sink_arguments, source_arguments, unload_named, unload_of

LOOK_S = 0.05
RUNNING, IDLE = 3, 2
METADATA = 1

SINK, SOURCE, PLAYS, RECORDS = range(1, 5)
BASE = 10_000_000  # of the ids of each kind
Told = Callable[[int, dict[str, str]], None]
Heard = Callable[[float, bool], None]


@dataclass
class Made:
    """Modules of one microphone or output, in the order they were loaded."""

    modules: list[int] = field(default_factory=list)


@dataclass
class Watched:
    id: int
    told: Told
    heard: Heard | None
    last: tuple[object, ...] = ()
    level: tuple[object, ...] = ()


class Thing(msgspec.Struct, frozen=True):
    """A node as it is now."""

    properties: tuple[tuple[str, str], ...]
    state: int = IDLE
    at: int = 0  # the node it plays to or records from
    level: tuple[float, bool] | None = None


class OlderConnection:
    """Open from the beginning. Errors: DeviceError where it cannot be reached."""

    traces = False

    def __init__(self, name: str, came: Callable[[int, str, dict[str, str]], None], gone: Callable[[int], None],
        lost: Callable[[str], None], ready: Callable[[], None] = lambda: None):  # fmt: skip
        self._pulse = connected(name)
        self._came, self._gone, self._lost, self._ready = came, gone, lost, ready
        self.alive = True
        self.version = str(self._pulse.server_info().server_version)
        self._orders: queue.SimpleQueue[Callable[[], object]] = queue.SimpleQueue()
        self._things: dict[int, Thing] = {}
        self._watched: dict[int, Watched] = {}
        self._defaults: dict[str, str] = {}
        self._says: Callable[[int, str, str], None] | None = None
        self._before: dict[int, str] = {}  # where a stream was before we moved it
        self._keeper = subprocess.Popen(
            [sys.executable, "-m", "brucke.ports.devices.older.keeper", str(os.getpid())],
            stdin=subprocess.PIPE, start_new_session=True,
        )  # fmt: skip
        self._orders.put(lambda: unload_of(self._pulse))
        self._thread = threading.Thread(target=self._run, daemon=True)
        self._thread.start()
        came(METADATA, "Metadata", {"metadata.name": "default"})

    # In its own thread

    def _run(self) -> None:
        import pulsectl

        pulse = self._pulse
        pulse.event_mask_set("all")

        def stop(_event: Any) -> None:
            raise pulsectl.PulseLoopStop

        pulse.event_callback_set(stop)
        try:
            while self.alive or not self._orders.empty():
                with contextlib.suppress(queue.Empty):
                    while True:
                        order = self._orders.get_nowait()
                        try:
                            order()
                        except pulsectl.PulseDisconnected:
                            raise
                        except (pulsectl.PulseError, StopIteration):  # what it was about has gone meanwhile
                            logging.getLogger("brucke.server").warning("an order came too late", exc_info=True)
                if self.alive:
                    self._look()
                    pulse.event_listen(timeout=LOOK_S)
        except Exception as e:  # whatever it was: a thread that has ended tells nothing any more
            if not isinstance(e, pulsectl.PulseError):
                logging.getLogger("brucke.server").error("the connection ended", exc_info=True)
            was, self.alive = self.alive, False
            if was:
                self._lost(str(e))
        finally:
            pulse.close()

    def _look(self) -> None:
        """What came, went or changed since the last look is told."""
        now = self._all()
        for id in [i for i in self._things if i not in now]:
            for end in (id, *_ends(id), *_links(id)):
                self._gone(end)
        for id, thing in now.items():
            before = self._things.get(id)
            if before is None or before.properties != thing.properties:
                self._came(id, "Node", dict(thing.properties))
                plays = id // BASE in (PLAYS, SOURCE)
                for end, out in zip(_ends(id), (True, False), strict=True):
                    if out == plays:
                        told = {"node.id": str(id), "port.name": "sound", "port.direction": "out" if out else "in"}
                        self._came(end, "Port", told)
            if thing.at and (before is None or before.at != thing.at):
                self._link(id, thing.at, before is not None)
        self._things = now
        self._ready()
        self._ready = lambda: None  # once: all that was there has been told
        self._tell_watched()
        self._tell_defaults()

    def _link(self, id: int, at: int, moved: bool) -> None:
        """A stream's one link: from what plays to where, or from where to what records."""
        (link,) = _links(id)
        if moved:
            self._gone(link)
        ends = (_ends(id)[0], _ends(at)[1]) if id // BASE == PLAYS else (_ends(at)[0], _ends(id)[1])
        self._came(link, "Link", {"link.output.port": str(ends[0]), "link.input.port": str(ends[1])})

    def _all(self) -> dict[int, Thing]:
        pulse = self._pulse
        found: dict[int, Thing] = {}
        for sink in pulse.sink_list():
            found[SINK * BASE + sink.index] = Thing(_device(sink, "Audio/Sink"))
        for source in pulse.source_list():
            if source.monitor_of_sink == NONE:
                ours = source.name.startswith(OURS)
                level = (float(source.volume.value_flat), bool(source.mute)) if ours else None
                media = "Audio/Source/Virtual" if ours else "Audio/Source"
                found[SOURCE * BASE + source.index] = Thing(_device(source, media), level=level)
        for stream in pulse.sink_input_list():
            if stream.client != NONE:
                at = SINK * BASE + stream.sink
                found[PLAYS * BASE + stream.index] = Thing(_stream(stream, "Stream/Output/Audio"), _state(stream), at)
        for stream in pulse.source_output_list():
            if stream.client != NONE:
                at = SOURCE * BASE + stream.source
                found[RECORDS * BASE + stream.index] = Thing(_stream(stream, "Stream/Input/Audio"), _state(stream), at)
        return found

    def _tell_watched(self) -> None:
        for w in list(self._watched.values()):
            thing = self._things.get(w.id)
            if thing is None:
                continue
            now = (thing.state, thing.properties)
            if now != w.last:
                w.last = now
                w.told(thing.state, dict(thing.properties))
            if w.heard is not None and thing.level is not None and thing.level != w.level:
                w.level = thing.level
                w.heard(*thing.level)

    def _tell_defaults(self) -> None:
        info = self._pulse.server_info()
        now = {"sink": info.default_sink_name or "", "source": info.default_source_name or ""}
        if self._says is not None:
            for what, name in now.items():
                if self._defaults.get(what) != name:
                    self._says(0, f"default.audio.{what}", json.dumps({"name": name}))
            self._defaults = now

    # As the newer one's connection

    def make(self, _factory: str, _type: str, properties: Mapping[str, object]) -> Made:
        """A microphone or an output, gone with `end`, `close`, or with this process."""
        made, node, shown = Made(), str(properties["node.name"]), str(properties["node.description"])
        channels = int(str(properties["audio.channels"]))
        pulse = self._pulse

        def load() -> None:
            if properties["media.class"] == "Audio/Sink":
                made.modules.append(pulse.module_load("module-null-sink", sink_arguments(node, shown, channels)))
                return
            silent = f"{node}.out"
            made.modules.append(pulse.module_load("module-null-sink", sink_arguments(silent, shown, channels)))
            made.modules.append(pulse.module_load("module-remap-source", source_arguments(node, silent, shown)))

        self._orders.put(load)
        return made

    def end(self, proxy: Any) -> None:
        """Of something made, or of a watching."""
        if isinstance(proxy, Watched):
            self._watched.pop(proxy.id, None)
        elif isinstance(proxy, Made):
            self._orders.put(lambda: self._unload(proxy))

    def destroy(self, id: int) -> None:
        """A microphone by what it is told as, whoever made it."""

        def unload() -> None:
            name = self._pulse.source_info(id % BASE).name
            unload_named(self._pulse, {name, f"{name}.out"})

        self._orders.put(unload)

    def settle(self, _seconds: float) -> None:
        """Orders are done before it closes."""

    def _unload(self, made: Made) -> None:
        while made.modules:
            self._pulse.module_unload(made.modules.pop())

    def watch_node(self, id: int, told: Told, heard: Heard | None = None) -> Watched:
        self._watched[id] = Watched(id, told, heard)
        return self._watched[id]

    def watch_metadata(self, id: int, told: Callable[[int, str, str], None]) -> Watched:
        self._says = told
        return Watched(id, lambda _state, _properties: None, None)

    def restore_level(self, watched: Watched, _channels: int) -> None:
        def restore() -> None:
            source = self._pulse.source_info(watched.id % BASE)
            self._pulse.mute(source, False)
            self._pulse.volume_set_all_chans(source, 1.0)

        self._orders.put(restore)

    def choose(self, _metadata: Any, what: str, node: str) -> None:
        self._orders.put(lambda: self._pulse.default_set(self._named(what == "source", node)))

    def direct(self, _metadata: Any, node: int, target: str) -> None:
        """Where a program's stream goes, by name; “” takes it back to where it was before."""
        self._orders.put(lambda: self._move(node, target))

    def _move(self, node: int, target: str) -> None:
        records, index = node // BASE == RECORDS, node % BASE
        stream = self._pulse.source_output_info(index) if records else self._pulse.sink_input_info(index)
        devices = self._pulse.source_list() if records else self._pulse.sink_list()
        now = next((d.name for d in devices if d.index == (stream.source if records else stream.sink)), "")
        if target and not now.startswith(OURS):
            self._before[node] = now
        wanted = target or self._before.pop(node, "")
        device = next((d for d in devices if d.name == wanted), None)
        if device is not None and device.name != now:
            move = self._pulse.source_output_move if records else self._pulse.sink_input_move
            move(index, device.index)

    def _named(self, source: bool, name: str) -> Any:
        return next(d for d in (self._pulse.source_list() if source else self._pulse.sink_list()) if d.name == name)

    def close(self) -> None:
        """What was made is gone, and what was moved is back where it was."""
        if self.alive:
            for node in list(self._before):
                self.direct(None, node, "")
            self._orders.put(lambda: unload_of(self._pulse, {os.getpid()}))
        self.alive = False
        self._thread.join(3.0)
        if self._keeper.stdin is not None:
            self._keeper.stdin.close()
        with contextlib.suppress(subprocess.TimeoutExpired):
            self._keeper.wait(0.5)  # it stays for as long as somebody has chosen a microphone


def _ends(id: int) -> tuple[int, int]:
    """(where sound comes out of a node, where it goes in)."""
    return id * 4 + 1, id * 4 + 2


def _links(id: int) -> tuple[int]:
    return (id * 4 + 3,)


def _device(device: Any, media: str) -> tuple[tuple[str, str], ...]:
    said = str(device.description or device.name)
    return (("node.name", str(device.name)), ("node.description", said), ("media.class", media))


def _stream(stream: Any, media: str) -> tuple[tuple[str, str], ...]:
    told = {str(k): str(v) for k, v in stream.proplist.items()}
    name = f"{OURS}stream" if MARK in told else told.get("media.name", str(stream.name))
    program = told.get("application.name", "")
    found = {
        "node.name": name,
        "node.description": told.get("media.name", program),
        "media.class": media,
        "application.name": program,
    }
    kept: dict[str, str] = {key: told[key] for key in ("filter.want", "media.role") if key in told}
    return tuple({**found, **kept}.items())


def _state(stream: Any) -> int:
    return IDLE if stream.corked else RUNNING


def reach() -> None:
    """Errors: DeviceError where no server of the older protocol answers."""
    connected("brucke.check").close()
