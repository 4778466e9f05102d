"""What a screen reader does, over the accessibility bus alone, run by the system's own Python: reads what is there, and
presses.

Lines of JSON in, lines of JSON out: {"do": "all"} gives [role, name, focusable, showing, enabled] of everything,
{"do": "press", "name": …} presses what begins with it, {"do": "read", "name": …} the names that begin with it.
"""

import json
import sys

import dbus

ROOT = "/org/a11y/atspi/accessible/root"
ACCESSIBLE, ACTION = "org.a11y.atspi.Accessible", "org.a11y.atspi.Action"
PROPERTIES = "org.freedesktop.DBus.Properties"
ENABLED, FOCUSABLE, SHOWING = 8, 11, 25


class Reader:
    def __init__(self):
        session = dbus.SessionBus()
        launcher = session.get_object("org.a11y.Bus", "/org/a11y/bus")
        self.bus = dbus.bus.BusConnection(launcher.GetAddress(dbus_interface="org.a11y.Bus"))

    def call(self, at, interface, method, *arguments):
        return self.bus.get_object(*at, introspect=False).get_dbus_method(method, interface)(*arguments)

    def name(self, at):
        return str(self.call(at, PROPERTIES, "Get", ACCESSIBLE, "Name"))

    def walk(self, at, depth=0):
        """Every accessible below, as (where, role, name, states)."""
        for child in self.call(at, ACCESSIBLE, "GetChildren"):
            where = (str(child[0]), str(child[1]))
            try:
                low, high = self.call(where, ACCESSIBLE, "GetState")
                role = str(self.call(where, ACCESSIBLE, "GetRoleName"))
                yield where, role, self.name(where), int(low) | int(high) << 32
                if depth < 40:
                    yield from self.walk(where, depth + 1)
            except dbus.DBusException:  # it has gone meanwhile
                continue

    def everything(self):
        return list(self.walk(("org.a11y.atspi.Registry", ROOT)))

    def answer(self, asked):
        found = self.everything()
        if asked["do"] == "all":
            bits = (FOCUSABLE, SHOWING, ENABLED)
            return [[role, name, *(bool(s >> b & 1) for b in bits)] for _at, role, name, s in found]
        name = asked["name"]
        hits = [(at, n) for at, _role, n, s in found if n.startswith(name) and s >> SHOWING & 1]
        if asked["do"] == "read":
            return [n for _at, n in hits]
        for at, _n in hits:
            try:
                if int(self.call(at, PROPERTIES, "Get", ACTION, "NActions")):
                    return bool(self.call(at, ACTION, "DoAction", 0))
            except dbus.DBusException:
                continue
        return False


reader = Reader()
print(json.dumps("up"), flush=True)
for line in sys.stdin:
    print(json.dumps(reader.answer(json.loads(line))), flush=True)
