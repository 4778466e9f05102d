"""One connection to the desktop's sound server: what there is, told as it comes and goes, and what we make of it.

Everything the server tells is told in the library's own thread; whoever listens only notes it. What is made here is
gone with the connection, also when this process is killed.
"""

import json
import threading
from collections.abc import Callable, Mapping
from typing import Any

from ..kind import DeviceError
from .library import NAME, Dict, ffi, library, methods, text, texts_of
from .pods import PROPS, as_it_is, volume_of

INTERFACE = "PipeWire:Interface:"
NODE, LINK, METADATA = f"{INTERFACE}Node", f"{INTERFACE}Link", f"{INTERFACE}Metadata"
VERSION = 3  # of core, registry, nodes and links
Came = Callable[[int, str, dict[str, str]], None]
Gone = Callable[[int], None]
Lost = Callable[[str], None]
# Callbacks and event tables live as long as what they belong to: the library may still call one while a connection
# ends, but none of
# something that was destroyed under its lock.
_KEPT: dict[int, list[Any]] = {}


def keep(*things: Any, of: Any = None) -> None:
    """Until `let_go` of the same thing of the library; without one as long as the process."""
    _KEPT.setdefault(_address(of), []).extend(things)


def let_go(of: Any) -> None:
    """It has been destroyed."""
    _KEPT.pop(_address(of), None)


def _address(of: Any) -> int:
    return 0 if of is None else int(ffi.cast("uintptr_t", of))


class Connection:
    """Open from the beginning. `came(id, type, properties)` and `gone(id)` are told of everything there is, `ready()`
    once all that was there has been told, `lost(why)` once when the server ends. Errors: DeviceError where it cannot be
    reached."""

    traces = True  # what a program plays can be looked at

    def __init__(self, name: str, came: Came | None = None, gone: Gone | None = None, lost: Lost | None = None,
        settings: Mapping[str, str] | None = None, ready: Callable[[], None] | None = None):  # fmt: skip
        self.lib = lib = library()
        self._came, self._gone, self._lost, self._ready = came, gone, lost, ready
        self._answered = threading.Event()
        self.alive = True
        self._proxies: list[Any] = []
        self.loop = lib.pw_thread_loop_new(name.encode(), ffi.NULL)
        self.context = self.core = ffi.NULL
        if lib.pw_thread_loop_start(self.loop) < 0:
            raise DeviceError(f"{NAME}: no thread could be started for it")
        with self:
            given = Dict(settings or {})
            # Who owns properties is the library from here on.
            self.context = lib.pw_context_new(
                lib.pw_thread_loop_get_loop(self.loop), lib.pw_properties_new_dict(given.c), 0
            )
            if self.context != ffi.NULL:
                self.core = lib.pw_context_connect(self.context, ffi.NULL, 0)
            if self.core != ffi.NULL:
                self._listen()
        if self.core == ffi.NULL:
            self.close()
            raise DeviceError(f"{NAME}: nothing answers; it may not run for this user")

    @property
    def version(self) -> str:
        """Of the library that speaks with the server."""
        return text(self.lib.pw_get_library_version())

    def __enter__(self) -> "Connection":
        """Whatever calls the library holds its lock."""
        self.lib.pw_thread_loop_lock(self.loop)
        return self

    def __exit__(self, *_: object) -> None:
        self.lib.pw_thread_loop_unlock(self.loop)

    def _listen(self) -> None:
        @ffi.callback("void(void *, uint32_t, int, int, const char *)", onerror=_quiet)
        def error(_data: Any, id: int, _seq: int, result: int, message: Any) -> None:
            if id == 0 and result == -32 and self.alive:  # the socket has ended
                self.alive = False
                if self._lost is not None:
                    self._lost(text(message))

        @ffi.callback(
            "void(void *, uint32_t, uint32_t, const char *, uint32_t, const struct spa_dict *)", onerror=_quiet
        )
        def came(_data: Any, id: int, _permissions: int, type: Any, _version: int, props: Any) -> None:
            if self._came is not None:
                self._came(id, text(type), texts_of(props))

        @ffi.callback("void(void *, uint32_t)", onerror=_quiet)
        def gone(_data: Any, id: int) -> None:
            if self._gone is not None:
                self._gone(id)

        @ffi.callback("void(void *, uint32_t, int)", onerror=_quiet)
        def done(_data: Any, _id: int, _seq: int) -> None:
            self._answered.set()
            if self._ready is not None:
                self._ready()

        events = ffi.new("struct pw_core_events *", {"version": 0, "error": error, "done": done})
        hook = ffi.new("struct spa_hook *")
        core, of = methods(self.core, "pw_core")
        core.add_listener(of, hook, events, ffi.NULL)
        keep(error, came, gone, done, events, hook)
        if self._came is not None:
            self.registry = core.get_registry(of, VERSION, 0)
            told = ffi.new("struct pw_registry_events *", {"version": 0, "global": came, "global_remove": gone})
            second = ffi.new("struct spa_hook *")
            registry, data = methods(self.registry, "pw_registry")
            registry.add_listener(data, second, told, ffi.NULL)
            keep(told, second)
            self.sync()  # answered once everything that is there was told

    def sync(self) -> None:
        """`ready` is called once everything asked for until now has been done."""
        with self:
            core, of = methods(self.core, "pw_core")
            core.sync(of, 0, 0)

    def settle(self, seconds: float) -> None:
        """Until the server has done what was asked of it, as long as that takes no longer; what is closed at once may
        not be."""
        if self.alive:
            self._answered.clear()
            self.sync()
            self._answered.wait(seconds)

    def make(self, factory: str, type: str, properties: Mapping[str, object]) -> Any:
        """An object of the server that lives as long as this connection, or until `end`."""
        given = Dict(properties)
        with self:
            core, of = methods(self.core, "pw_core")
            made = core.create_object(of, factory.encode(), type.encode(), VERSION, given.c, 0)
        if made == ffi.NULL:
            raise DeviceError(f"{NAME}: made nothing of “{factory}”")
        return made

    def end(self, proxy: Any) -> None:
        with self:
            if self.alive and proxy != ffi.NULL:
                self.lib.pw_proxy_destroy(proxy)
                let_go(proxy)

    def destroy(self, id: int) -> None:
        """A thing of the server that belongs to nobody's connection."""
        with self:
            if self.alive:
                registry, of = methods(self.registry, "pw_registry")
                registry.destroy(of, id)

    def watch_node(
        self, id: int, told: Callable[[int, dict[str, str]], None], heard: Callable[[float, bool], None] | None = None
    ) -> Any:
        """`told(state, properties)` whenever one of a node changes, `heard(volume, muted)` whenever the desktop's mixer
        does; the proxy to `end`."""

        @ffi.callback("void(void *, const struct pw_node_info *)", onerror=_quiet)
        def info(_data: Any, about: Any) -> None:
            told(about.state, texts_of(about.props))

        @ffi.callback("void(void *, int, uint32_t, uint32_t, uint32_t, const void *)", onerror=_quiet)
        def param(_data: Any, _seq: int, which: int, _index: int, _next: int, pod: Any) -> None:
            found = volume_of(pod) if which == PROPS else None
            if found is not None and heard is not None:
                heard(*found)

        events = ffi.new("struct pw_node_events *", {"version": 0, "info": info, "param": param})
        proxy = self._watch(id, NODE, events, info)
        if heard is not None and proxy != ffi.NULL:
            keep(param, of=proxy)
            with self:
                node, of = methods(proxy, "pw_node")
                node.subscribe_params(of, ffi.new("uint32_t[1]", [PROPS]), 1)
        return proxy

    def restore_level(self, watched: Any, channels: int) -> None:
        """A watched node of ours is heard as it is: not muted, at full volume."""
        pod = ffi.from_buffer(bytearray(as_it_is(channels)))
        with self:
            if self.alive:
                node, of = methods(watched, "pw_node")
                node.set_param(of, PROPS, 0, ffi.cast("const void *", pod))

    def watch_metadata(self, id: int, told: Callable[[int, str, str], None]) -> Any:
        """`told(subject, key, value)` of everything a metadata object says; the proxy to `end`."""

        @ffi.callback("int(void *, uint32_t, const char *, const char *, const char *)", error=0, onerror=_quiet)
        def said(_data: Any, subject: int, key: Any, _type: Any, value: Any) -> int:
            told(subject, text(key), text(value, 2000))
            return 0

        events = ffi.new("struct pw_metadata_events *", {"version": 0, "property": said})
        return self._watch(id, METADATA, events, said)

    def _watch(self, id: int, interface: str, events: Any, callback: Any) -> Any:
        hook = ffi.new("struct spa_hook *")
        with self:
            registry, of = methods(self.registry, "pw_registry")
            proxy = registry.bind(of, id, interface.encode(), VERSION, 0)
            if proxy != ffi.NULL:
                keep(callback, events, hook, of=proxy)
                self.lib.pw_proxy_add_object_listener(proxy, hook, events, ffi.NULL)
        return proxy

    def choose(self, metadata: Any, what: str, node: str) -> None:
        """What the desktop records from (“source”) or plays to (“sink”) where nobody asks for anything else."""
        with self:
            if self.alive:
                of, data = methods(metadata, "pw_metadata")
                value = json.dumps({"name": node}).encode()
                of.set_property(data, 0, f"default.configured.audio.{what}".encode(), b"Spa:String:JSON", value)

    def direct(self, metadata: Any, node: int, target: str) -> None:
        """Where a program's stream goes, by name; “” gives it back to the desktop. Only the name of a node that is
        there holds: with us gone it goes where it went before, and nothing is remembered."""
        with self:
            if self.alive:
                of, data = methods(metadata, "pw_metadata")
                value, type = (target.encode(), b"Spa:String") if target else (ffi.NULL, ffi.NULL)
                of.set_property(data, node, b"target.object", type, value)

    def close(self) -> None:
        """What was made is gone."""
        lib, self.alive = self.lib, False
        if self.loop == ffi.NULL:
            return
        lib.pw_thread_loop_stop(self.loop)
        if self.core != ffi.NULL:
            lib.pw_core_disconnect(self.core)
        if self.context != ffi.NULL:
            lib.pw_context_destroy(self.context)
        lib.pw_thread_loop_destroy(self.loop)
        self.loop = self.core = self.context = ffi.NULL


def _quiet(kind: type[BaseException], error: BaseException, trace: object) -> None:
    """What goes wrong while the server tells something is logged; it goes on telling."""
    import logging

    logging.getLogger("brucke.server").error("while the sound server told something", exc_info=(kind, error, trace))  # type: ignore[arg-type]
