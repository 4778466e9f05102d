"""The desktop's other services, run by the system's own Python: a tray with its watcher, a screen saver that can be
asked to wait, and a login service that is told what to say. Not ours to import: it speaks to us as a desktop does.

Commands come in as lines of JSON, answers go out so: {"do": "menu"}, {"do": "click", "text": …}, {"do": "icon"},
{"do": "held"}, {"do": "sleep", "on": true}, {"do": "lock", "on": true}, {"do": "active", "on": false}.
"""

import hashlib
import json
import os
import sys

import dbus
import dbus.service
from dbus.mainloop.glib import DBusGMainLoop
from gi.repository import GLib

WATCHER, ITEM, MENU = "org.kde.StatusNotifierWatcher", "org.kde.StatusNotifierItem", "com.canonical.dbusmenu"
LOGIN, SAVER, NOTES = "org.freedesktop.login1", "org.freedesktop.ScreenSaver", "org.freedesktop.Notifications"
PROPERTIES = "org.freedesktop.DBus.Properties"
PLAYER = "org.mpris.MediaPlayer2"
SESSION_PATH = "/org/freedesktop/login1/session/_31"


def plain(value):
    """Of the bus's types, those that JSON has."""
    if isinstance(value, dbus.Boolean):
        return bool(value)
    if isinstance(value, (int, float, str)):
        return type(value).__mro__[-2](value) if not isinstance(value, str) else str(value)
    if isinstance(value, dict):
        return {str(k): plain(v) for k, v in value.items()}
    return [plain(v) for v in value]


class Watcher(dbus.service.Object):
    """Of status items, and their host."""

    def __init__(self, bus):
        super().__init__(bus, "/StatusNotifierWatcher")
        self.bus, self.items = bus, []

    @dbus.service.method(WATCHER, in_signature="s", sender_keyword="sender")
    def RegisterStatusNotifierItem(self, service, sender=None):
        self.items.append(sender)

    @dbus.service.method(PROPERTIES, in_signature="ss", out_signature="v")
    def Get(self, _interface, name):
        return {"IsStatusNotifierHostRegistered": True, "ProtocolVersion": 0}.get(name, dbus.Array([], "s"))

    def of_item(self, name):
        return self.bus.get_object(self.items[-1], "/StatusNotifierItem").Get(ITEM, name, dbus_interface=PROPERTIES)

    def menu(self):
        path = self.of_item("Menu")
        return dbus.Interface(self.bus.get_object(self.items[-1], path), MENU)

    def entries(self):
        _revision, root = self.menu().GetLayout(0, -1, dbus.Array([], "s"))
        return [(int(c[0]), plain(c[1])) for c in root[2]]


class Saver(dbus.service.Object):
    """Whoever asks it to wait is answered with a number."""

    def __init__(self, bus):
        super().__init__(bus, "/org/freedesktop/ScreenSaver")
        self.held, self.next = {}, 1

    @dbus.service.method(SAVER, in_signature="ss", out_signature="u")
    def Inhibit(self, who, why):
        self.next += 1
        self.held[self.next] = f"{who}: {why}"
        return dbus.UInt32(self.next)

    @dbus.service.method(SAVER, in_signature="u")
    def UnInhibit(self, number):
        self.held.pop(int(number), None)

    @dbus.service.signal(SAVER, signature="b")
    def ActiveChanged(self, on):
        pass


class Login(dbus.service.Object):
    """Keeps one end of a pipe for whoever holds sleep away: it has let go once the other is closed."""

    def __init__(self, bus):
        super().__init__(bus, "/org/freedesktop/login1")
        self.held = []
        self.session = Session(bus, SESSION_PATH)

    @dbus.service.method(LOGIN + ".Manager", in_signature="ssss", out_signature="h")
    def Inhibit(self, what, who, why, mode):
        ours, theirs = os.pipe()
        self.held.append((ours, {"what": str(what), "who": str(who), "why": str(why), "mode": str(mode)}))
        given = dbus.types.UnixFd(theirs)
        os.close(theirs)
        return given

    @dbus.service.method(LOGIN + ".Manager", in_signature="s", out_signature="o")
    def GetSession(self, _id):
        return SESSION_PATH

    @dbus.service.signal(LOGIN + ".Manager", signature="b")
    def PrepareForSleep(self, on):
        pass

    def still_held(self):
        """Those whose other end is open yet."""
        import select

        self.held = [(end, h) for end, h in self.held if not select.select([end], [], [], 0)[0]]
        return [h for _end, h in self.held]


class Session(dbus.service.Object):
    @dbus.service.signal(PROPERTIES, signature="sa{sv}as")
    def PropertiesChanged(self, interface, changed, gone):
        pass

    def say(self, **changed):
        self.PropertiesChanged(LOGIN + ".Session", changed, dbus.Array([], "s"))


class Notes(dbus.service.Object):
    """Shows notifications, and presses what is on them."""

    def __init__(self, bus):
        super().__init__(bus, "/org/freedesktop/Notifications")
        self.shown, self.next, self.all = {}, 0, []

    @dbus.service.method(NOTES, out_signature="as")
    def GetCapabilities(self):
        return ["actions", "body", "body-markup"]

    @dbus.service.method(NOTES, in_signature="susssasa{sv}i", out_signature="u")
    def Notify(self, who, replaces, icon, title, text, actions, hints, _expires):
        number = int(replaces) or self.next + 1
        self.next = max(self.next, number)
        self.shown[number] = {"title": str(title), "text": str(text), "actions": plain(actions), "icon": str(icon)}
        self.all.append(self.shown[number] | {"who": str(who), "hints": plain(hints)})
        return dbus.UInt32(number)

    @dbus.service.method(NOTES, in_signature="u")
    def CloseNotification(self, number):
        self.shown.pop(int(number), None)
        self.NotificationClosed(number, 3)

    @dbus.service.signal(NOTES, signature="us")
    def ActionInvoked(self, number, action):
        pass

    @dbus.service.signal(NOTES, signature="uu")
    def NotificationClosed(self, number, why):
        pass


PORTAL, SHORTCUTS = "org.freedesktop.portal.Desktop", "org.freedesktop.portal.GlobalShortcuts"
PORTAL_PATH = "/org/freedesktop/portal/desktop"


class Request(dbus.service.Object):
    """Of one question to the portal, answered a moment later."""

    def __init__(self, bus, sender, options, code, results):
        token = str(options.get("handle_token", "t"))
        self.path = f"{PORTAL_PATH}/request/{sender[1:].replace('.', '_')}/{token}"
        super().__init__(bus, self.path)
        GLib.timeout_add(50, lambda: self.Response(dbus.UInt32(code), results))

    @dbus.service.signal("org.freedesktop.portal.Request", signature="ua{sv}")
    def Response(self, code, results):
        pass


class Portal(dbus.service.Object):
    """For shortcuts: gives the keys that are proposed, and presses them when it is told to; says no where it
    `refuses`."""

    def __init__(self, bus, refuses):
        super().__init__(bus, PORTAL_PATH)
        self.bus, self.refuses, self.bound, self.kept = bus, refuses, [], []
        self.session = dbus.ObjectPath(PORTAL_PATH + "/session/1/brucke")

    def _request(self, sender, options, code, results):
        self.kept.append(Request(self.bus, sender, options, code, dbus.Dictionary(results, signature="sv")))
        return dbus.ObjectPath(self.kept[-1].path)

    @dbus.service.method(SHORTCUTS, in_signature="a{sv}", out_signature="o", sender_keyword="sender")
    def CreateSession(self, options, sender=None):
        return self._request(sender, options, 0, {"session_handle": str(self.session)})

    @dbus.service.method(SHORTCUTS, in_signature="oa(sa{sv})sa{sv}", out_signature="o", sender_keyword="sender")
    def BindShortcuts(self, _session, shortcuts, _window, options, sender=None):
        self.bound = [[str(id), plain(about)] for id, about in shortcuts]
        given = [
            dbus.Struct((id, dbus.Dictionary({"trigger_description": about["preferred_trigger"]}, signature="sv")))
            for id, about in shortcuts
        ]
        results = {} if self.refuses else {"shortcuts": dbus.Array(given, signature="(sa{sv})")}
        return self._request(sender, options, 1 if self.refuses else 0, results)

    @dbus.service.signal(SHORTCUTS, signature="osta{sv}")
    def Activated(self, session, id, at, options):
        pass

    @dbus.service.signal(SHORTCUTS, signature="osta{sv}")
    def Deactivated(self, session, id, at, options):
        pass

    def press(self, id, down):
        (self.Activated if down else self.Deactivated)(
            self.session, id, dbus.UInt64(1), dbus.Dictionary({}, signature="sv")
        )


class Player(dbus.service.Object):
    """A media player that can be asked to pause; what it was asked is kept."""

    def __init__(self, bus):
        super().__init__(bus, "/org/mpris/MediaPlayer2")
        self.status, self.asked = "Playing", []

    @dbus.service.method(PROPERTIES, in_signature="ss", out_signature="v")
    def Get(self, _interface, name):
        return {"Identity": "Harbour Songs", "PlaybackStatus": self.status}[name]

    @dbus.service.method(PLAYER + ".Player")
    def Pause(self):
        self.status = "Paused"
        self.asked.append("Pause")

    @dbus.service.method(PLAYER + ".Player")
    def Play(self):
        self.status = "Playing"
        self.asked.append("Play")


class Answers:
    def __init__(self, own, system, offered):
        self.player = Player(own) if "player" in offered else None
        self.watcher = Watcher(own) if "tray" in offered else None
        self.saver = Saver(own) if "saver" in offered else None
        self.notes = Notes(own) if "notes" in offered else None
        self.login = Login(system) if "login" in offered else None
        wanted = [x for x in offered if x.startswith("portal")]
        self.portal = Portal(own, "portal-no" in wanted) if wanted else None

    def answer(self, asked):
        match asked["do"]:
            case "bound":
                return self.portal.bound
            case "key":
                self.portal.press(asked["id"], asked["down"])
            case "player":
                return self.player.asked
            case "items":
                return len(self.watcher.items)
            case "menu":
                return [
                    [e.get("label", "").replace("_", ""), e.get("enabled", True), e.get("toggle-state", -1)]
                    for _id, e in self.watcher.entries() if e.get("type") != "separator"
                ]  # fmt: skip
            case "click":
                id = next(i for i, e in self.watcher.entries() if e.get("label", "").replace("_", "") == asked["text"])
                self.watcher.menu().Event(id, "clicked", "", dbus.UInt32(0))
                return True
            case "icon":
                pixels = self.watcher.of_item("IconPixmap")
                return hashlib.sha256(b"".join(bytes(p[2]) for p in pixels)).hexdigest()
            case "tip":
                return plain(self.watcher.of_item("ToolTip"))[2]
            case "held":
                return {"login": self.login.still_held(), "saver": list(self.saver.held.values())}
            case "sleep":
                self.login.PrepareForSleep(asked["on"])
            case "lock":
                self.login.session.say(LockedHint=asked["on"])
            case "save":
                self.saver.ActiveChanged(asked["on"])
            case "active":
                self.login.session.say(Active=asked["on"])
            case "shown":
                return list(self.notes.shown.values())
            case "all":
                return self.notes.all
            case "press":
                number = next(n for n, x in self.notes.shown.items() if x["title"].startswith(asked["title"]))
                self.notes.ActionInvoked(dbus.UInt32(number), asked.get("action", "act"))
        return None


def main():
    DBusGMainLoop(set_as_default=True)
    offered = sys.argv[1].split(",")
    own = dbus.bus.BusConnection(os.environ["DBUS_SESSION_BUS_ADDRESS"])
    system = dbus.bus.BusConnection(os.environ["DBUS_SYSTEM_BUS_ADDRESS"])
    names = {"tray": WATCHER, "saver": SAVER, "notes": NOTES, "player": PLAYER + ".harbour", "portal": PORTAL,
        "portal-no": PORTAL}  # fmt: skip
    kept = [dbus.service.BusName(names[x], own) for x in offered if x in names]
    if "login" in offered:
        kept.append(dbus.service.BusName(LOGIN, system))
    answers = Answers(own, system, offered)

    def asked(_source, _condition):
        line = sys.stdin.readline()
        if not line:
            loop.quit()
            return False
        try:
            answer = {"answer": answers.answer(json.loads(line))}
        except Exception as e:
            answer = {"error": repr(e)}
        print(json.dumps(answer), flush=True)
        return True

    loop = GLib.MainLoop()
    GLib.io_add_watch(sys.stdin, GLib.IO_IN | GLib.IO_HUP, asked)
    print(json.dumps({"answer": "up"}), flush=True)
    loop.run()
    del kept


main()
