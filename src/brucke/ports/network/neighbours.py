"""Which other computers can be found on this network now, by multicast DNS (RFC 6762, RFC 6763)."""

import asyncio
import ipaddress
from collections.abc import Callable

from zeroconf import Error, IPVersion, ServiceStateChange, Zeroconf
from zeroconf.asyncio import AsyncServiceBrowser, AsyncServiceInfo, AsyncZeroconf

from ...core.network.plain_name import MOST_NAME, plain_name
from ...core.network.socket_address import is_address

TYPE = "_brucke._tcp.local."
MOST = 64
ASK_MS = 1500
ID_DIGITS = 32


class Neighbours:
    """`found`: id → (name, address, port). `changed` is called when it has."""

    def __init__(self, id: str, name: str, port: int, changed: Callable[[], None]):
        self._id, self._name, self._port, self._changed = id, name, port, changed
        self.found: dict[str, tuple[str, str, int]] = {}
        self._tasks: set[asyncio.Task[None]] = set()

    async def begin(self) -> None:
        """Errors: OSError where nothing can be sent to anybody."""
        self._zeroconf = AsyncZeroconf(ip_version=IPVersion.V4Only)
        info = AsyncServiceInfo(
            TYPE, f"{self._id}.{TYPE}", port=self._port, server=f"brucke-{self._id}.local.",
            parsed_addresses=own_addresses(), properties={"id": self._id, "n": self._name[:MOST_NAME], "v": "1"},
        )  # fmt: skip
        await self._zeroconf.async_register_service(info, allow_name_change=True)
        self._browser = AsyncServiceBrowser(self._zeroconf.zeroconf, TYPE, handlers=[self._told])

    async def end(self) -> None:
        await self._browser.async_cancel()
        await self._zeroconf.async_unregister_all_services()
        await self._zeroconf.async_close()

    def _told(self, zeroconf: Zeroconf, service_type: str, name: str, state_change: ServiceStateChange) -> None:
        if state_change is ServiceStateChange.Removed:
            if self.found.pop(name.removesuffix(f".{TYPE}")[:ID_DIGITS], None) is not None:
                self._changed()
            return
        task = asyncio.ensure_future(self._look_up(zeroconf, name))
        self._tasks.add(task)
        task.add_done_callback(self._tasks.discard)

    async def _look_up(self, zeroconf: Zeroconf, name: str) -> None:
        if len(self._tasks) > MOST:
            return
        try:
            info = AsyncServiceInfo(TYPE, name)
        except Error:  # no name that anybody may have
            return
        if not await info.async_request(zeroconf, ASK_MS):
            return
        said = {k.decode(errors="replace"): (v or b"").decode(errors="replace") for k, v in info.properties.items()}
        id, addresses = said.get("id", ""), info.parsed_addresses(IPVersion.V4Only)
        usable = [a for a in addresses if is_address(a)]
        port = info.port or 0
        if len(id) != ID_DIGITS or not id.isalnum() or id == self._id or not usable or not 0 < port < 65536:
            return
        self.add(id, said.get("n", ""), usable[0], port)

    def add(self, id: str, name: str, address: str, port: int) -> None:
        """Somebody who is there."""
        if id in self.found or len(self.found) < MOST:
            self.found[id] = (plain_name(name) or id[:8], address, port)
            self._changed()


def own_addresses() -> list[str]:
    """Of every network this computer is on now; loopback only where there is nothing else."""
    import ifaddr

    found = [str(ip.ip) for adapter in ifaddr.get_adapters() for ip in adapter.ips if ip.is_IPv4]
    real = [a for a in found if not ipaddress.ip_address(a).is_loopback]
    return real or found
