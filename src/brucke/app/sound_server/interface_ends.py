"""What the interfaces of this computer record from and play to: unplugged, back, or another one by itself."""

from ...core.document.setup import Device, Setup
from ...ports.devices.server.graph import Graph, interface_ends
from ...ports.devices.server.names import chosen_ends, here
from ...words.translation import _

Both = tuple[str, str]  # of what is recorded from, of what is played to; “” where that is not there
UNKNOWN = (_("Microphone"), _("Headphone output"))


class InterfaceEnds:
    """By interface: `now` what its ends are called, `names` how the server names them, `gone` what is not there and is
    missed."""

    def __init__(self) -> None:
        self.now: dict[str, Both] = {}
        self.names: dict[str, Both] = {}
        self.gone: dict[str, Both] = {}
        self._before: dict[str, Both] = {}
        self._last: dict[tuple[str, int], str] = {}  # what an end was called when it was there

    def forget(self) -> None:
        self.now, self.names, self.gone = {}, {}, {}

    def look(self, graph: Graph, setup: Setup) -> None:
        now, names = {}, {}
        for d in setup.devices:
            if here(d) and d.kind == "interface":
                both = interface_ends(graph, d)
                now[d.id] = (both[0].description if both[0] else "", both[1].description if both[1] else "")
                names[d.id] = (both[0].name if both[0] else "", both[1].name if both[1] else "")
        self.now, self.names = now, names
        # At once: what goes before the first `see` was there all the same.
        self._last |= {(id, i): end for id, ends in now.items() for i, end in enumerate(ends) if end}

    def misses(self, name: str) -> bool:
        """Whether an end of that name is not there, and is missed."""
        return any(name in ends for ends in self.gone.values())

    def see(self, setup: Setup) -> tuple[list[tuple[str, str, str]], list[str]]:
        """((sentence, tone, the end where it is so only while that is gone) of everything that changed, interfaces
        whose sound takes another way now)."""
        said, moved, gone = [], [], {}
        for id, now in self.now.items():
            device, missed = setup.device(id), ["", ""]
            for i in (0, 1):
                if not now[i] and _used(setup, device)[i]:
                    missed[i] = self._last.get((id, i)) or chosen_ends(device)[i] or UNKNOWN[i]
            gone[id] = (missed[0], missed[1])
            before, was_gone = self._before.get(id, now), self.gone.get(id, ("", ""))
            for i, what in enumerate((_("records from"), _("plays to"))):
                if missed[i] and not was_gone[i]:
                    said.append(
                        (
                            _("{missed} is not there. It is silent and joins by itself.").format(missed=missed[i]),
                            "coral",
                            missed[i],
                        )
                    )
                elif was_gone[i] and not missed[i]:
                    again = now[i] or was_gone[i]
                    said.append(
                        (_("{again} is there again. Test the round trip again.").format(again=again), "water", "")
                    )
                    moved.append(id)
                elif before[i] and now[i] and before[i] != now[i]:
                    said.append(
                        (
                            _("This computer {what} {now} now, no longer {before}. Test the round trip again.").format(
                                what=what, now=now[i], before=before[i]
                            ),
                            "coral",
                            "",
                        )
                    )
                    moved.append(id)
        self._before, self.gone = self.now, gone
        return said, list(dict.fromkeys(moved))


def _used(setup: Setup, device: Device) -> tuple[bool, bool]:
    """Whether anything comes in by it, and whether anybody hears by it."""
    return any(p.device == device.id for p in setup.parts), any(x.device == device.id for x in setup.listeners)
