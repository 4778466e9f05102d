"""Keys while another window has the focus: the desktop's own portal for shortcuts (org.freedesktop.portal
GlobalShortcuts). The desktop asks the user, and tells when one is pressed and let go. In a thread of its own with its
own connection, so that a key obeys while the window's thread is blocked."""

import contextlib
import os
import threading
from collections.abc import Callable, Sequence
from typing import Any, Literal

from jeepney import DBusAddress, MatchRule, message_bus, new_method_call
from jeepney.io.blocking import DBusConnection, open_dbus_connection
from jeepney.low_level import MessageType

State = Literal["asking", "listening", "none", "refused", "gone"]
BUS_NAME, OBJECT = "org.freedesktop.portal.Desktop", "/org/freedesktop/portal/desktop"
SHORTCUTS, REQUEST = "org.freedesktop.portal.GlobalShortcuts", "org.freedesktop.portal.Request"
PORTAL = DBusAddress(OBJECT, bus_name=BUS_NAME, interface=SHORTCUTS)
ANSWER_S, LOOK_S = 3.0, 0.5
BUS = "DBUS_SESSION_BUS_ADDRESS"


class PortalShortcuts:
    """`shortcuts` are (id, what it does, the keys that are proposed, as “CTRL+ALT+m”). `heard(id, pressed)` and
    `told(state, keys)` are called in a thread of its own; `keys` are what the desktop calls those that it gave."""

    def __init__(
        self,
        shortcuts: Sequence[tuple[str, str, str]],
        heard: Callable[[str, bool], None],
        told: Callable[[State, tuple[str, ...]], None],
    ):
        self._shortcuts, self._heard, self._told = shortcuts, heard, told
        self._ended = threading.Event()
        self._thread = threading.Thread(target=self._run, name="portal", daemon=True)
        self._thread.start()

    def close(self) -> None:
        self._ended.set()
        self._thread.join(2 * LOOK_S)

    def _run(self) -> None:
        try:
            if not os.environ.get(BUS):
                raise OSError("there is no such bus")
            with contextlib.closing(open_dbus_connection(os.environ[BUS])) as bus:
                self._listen(bus)
        except Exception:  # a bus that is not there, or whatever somebody's portal answers
            if not self._ended.is_set():
                self._told("none", ())

    def _listen(self, bus: DBusConnection) -> None:
        answers = MatchRule(type="signal", interface=REQUEST, member="Response", path_namespace=OBJECT)
        pressed = MatchRule(type="signal", interface=SHORTCUTS, path=OBJECT)
        left = MatchRule(type="signal", sender="org.freedesktop.DBus", member="NameOwnerChanged")
        left.add_arg_condition(0, BUS_NAME)
        for rule in (answers, pressed, left):
            bus.send_and_get_reply(message_bus.AddMatch(rule), timeout=ANSWER_S)
        with bus.filter(answers, bufsize=16) as said:
            options = {"handle_token": ("s", "brucke1"), "session_handle_token": ("s", "brucke")}
            session = self._ask(bus, said, "CreateSession", "a{sv}", (options,), ANSWER_S)
            if session is None:
                self._told("none", ())
                return
            self._told("asking", ())
            handle = session["session_handle"][1]
            wanted = [
                (id, {"description": ("s", text), "preferred_trigger": ("s", keys)})
                for id, text, keys in self._shortcuts
            ]
            body = (handle, wanted, "", {"handle_token": ("s", "brucke2")})
            given = self._ask(bus, said, "BindShortcuts", "oa(sa{sv})sa{sv}", body, None)
        if given is None:
            if not self._ended.is_set():
                self._told("refused", ())
            return
        found = given.get("shortcuts", ("", []))[1]
        self._told("listening", tuple(str(x[1].get("trigger_description", ("s", ""))[1]) for x in found))
        self._hear(bus, handle)

    def _ask(
        self, bus: DBusConnection, said: Any, what: str, signature: str, body: tuple[Any, ...], seconds: float | None
    ) -> dict[str, Any] | None:
        """What it answered; None where it does not know the question, does not answer, or somebody said no. Without
        `seconds` it is waited for as long as somebody thinks about it."""
        reply = bus.send_and_get_reply(new_method_call(PORTAL, what, signature, body), timeout=ANSWER_S)
        if reply.header.message_type is MessageType.error:
            return None
        waited = 0.0
        while not self._ended.is_set() and (seconds is None or waited < seconds):
            try:
                code, results = bus.recv_until_filtered(said, timeout=LOOK_S).body
            except TimeoutError:
                waited += LOOK_S
                continue
            return dict(results) if code == 0 else None
        return None

    def _hear(self, bus: DBusConnection, session: str) -> None:
        """Until the end, or until the portal leaves."""
        while not self._ended.is_set():
            try:
                message = bus.receive(timeout=LOOK_S)
            except TimeoutError:
                continue
            member = message.header.fields.get(3)
            if member in ("Activated", "Deactivated") and message.body[0] == session:
                self._heard(str(message.body[1]), member == "Activated")
            elif member == "NameOwnerChanged" and message.body[0] == BUS_NAME and not message.body[2]:
                self._told("gone", ())
                return
