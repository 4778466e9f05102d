"""Where two computers find one another, get to know each other, and ask to open; nothing of it before the person here
has chosen so, nothing after.

python -m brucke.ports.network.lobby ARGUMENTS — started by the application, never by hand. Lines of JSON on standard
input and output, see `lobby_messages.py`; the end of the input ends it.
"""

import asyncio
import contextlib
import ssl
import sys
import time
from collections.abc import Coroutine
from pathlib import Path

import msgspec

from ...core.network.control_messages import VERSION, Agree, Hello, Opened, Proof, Refused
from ...core.network.plain_name import plain_name
from .agreement import TRIES, Agreement, AgreementError, ShownCode
from .control_line import HANDSHAKE_S, ControlLine, LineEnded, dial
from .identity import AgreedPeer, Identity, fingerprint, is_certificate
from .listening import listening_socket
from .lobby_messages import (
    AgreeingEnded,
    Answer,
    Asked,
    AskingEnded,
    AskToAgree,
    AskToOpen,
    Forget,
    FromLobby,
    GiveUp,
    LobbyArguments,
    LookAt,
    Neighbour,
    OpenedTo,
    SessionPort,
    ShowCode,
    ToLobby,
    Trouble,
    TypeCode,
    WantCode,
)
from .lobby_messages import Neighbours as NeighboursNow
from .neighbours import Neighbours, own_addresses
from .reasons import agree_code, agree_reason, open_reason
from .who_is_there import who_is_at

DIAL_S, STEP_S, PERSON_S = 2.0, 5.0, 60.0
MOST_LINES = 8  # that may be open at once
REST_S = 60.0  # after a code was typed wrongly three times


class Lobby:
    def __init__(self, given: LobbyArguments):
        self.identity, self.name = Identity(Path(given.folder)), given.name
        self._agreed = {p.id: p for p in self.identity.agreed()}
        self._socket = listening_socket()
        self._session_port, self._lines = 0, 0
        self._code: ShownCode | None = None
        self._rest_until = 0.0
        self._typed: asyncio.Queue[str] = asyncio.Queue()
        self._answers: dict[str, asyncio.Future[bool]] = {}
        self._asking: asyncio.Task[None] | None = None
        self._server: asyncio.Server | None = None
        port: int = self._socket.getsockname()[1]
        self.neighbours = Neighbours(self.identity.id, self.name, port, self._tell_neighbours)

    # The person here

    async def run(self) -> None:
        """Until the application closes."""
        await self._listen()
        self._tell_neighbours()
        try:
            await self.neighbours.begin()
        except OSError as e:
            tell(Trouble(why=e.strerror or str(e)))
        reader = asyncio.StreamReader()
        loop = asyncio.get_running_loop()
        await loop.connect_read_pipe(lambda: asyncio.StreamReaderProtocol(reader), sys.stdin)
        decoder = msgspec.json.Decoder(ToLobby)
        while line := await reader.readline():
            self._obey(decoder.decode(line))
        if self._asking is not None:
            self._asking.cancel()
        with contextlib.suppress(Exception):
            async with asyncio.timeout(1.0):
                await self.neighbours.end()

    def _obey(self, order: ToLobby) -> None:
        match order:
            case SessionPort():
                self._session_port = order.port
            case LookAt():
                self._looking = asyncio.ensure_future(self._look_at(order.address, order.port))
            case AskToAgree():
                self._begin(self._ask_to_agree(order.id))
            case AskToOpen():
                self._begin(self._ask_to_open(order.id))
            case TypeCode():
                self._typed.put_nowait(order.digits)
            case Answer():
                waits = self._answers.get(order.id)
                if waits is not None and not waits.done():
                    waits.set_result(order.yes)
            case Forget():
                self.identity.forget(order.id)
                self._agreed.pop(order.id, None)
                self._listens_anew()
                self._tell_neighbours()
            case GiveUp():
                if self._asking is not None:
                    self._asking.cancel()
                self._code = None

    def _begin(self, asking: Coroutine[object, object, None]) -> None:
        if self._asking is not None:
            self._asking.cancel()
        self._asking = asyncio.ensure_future(asking)

    def _tell_neighbours(self) -> None:
        agreed = self._agreed
        found = tuple(
            Neighbour(id=id, name=name, address=address, known=id in agreed)
            for id, (name, address, _port) in sorted(self.neighbours.found.items(), key=lambda n: (n[1][0], n[0]))
        )
        known = tuple(Neighbour(id=p.id, name=p.name, address=p.address, known=True) for p in agreed.values())
        port = self._socket.getsockname()[1]
        here = tuple(f"{address}:{port}" for address in own_addresses())
        tell(NeighboursNow(found=found, agreed=known, here=here))

    # Asking

    def _where(self, id: str) -> tuple[str, str, int] | None:
        return self.neighbours.found.get(id)

    async def _look_at(self, address: str, port: int) -> None:
        """Who is there stands among the neighbours from now on."""
        found = await who_is_at(address, port, self.identity, self.name)
        if isinstance(found, str):
            tell(AskingEnded(id="", name=f"{address}:{port}", why=found))
        else:
            self.neighbours.add(*found, address, port)

    async def _ask_to_agree(self, id: str) -> None:
        there = self._where(id)
        name = there[0] if there is not None else id[:8]
        if there is None:
            tell(AgreeingEnded(why="gone", name=name))
            return
        line: ControlLine | None = None
        try:
            line = await dial(there[1], there[2], self.identity.stranger_context(), DIAL_S)
            line.say(Hello(version=VERSION, name=self.name, wants="agree"))
            await self._type_code(line, name)
        except (OSError, LineEnded, TimeoutError):
            tell(AgreeingEnded(why="gone", name=name))
        finally:
            if line is not None:
                await line.finish()

    async def _type_code(self, line: ControlLine, name: str) -> None:
        async with asyncio.timeout(STEP_S):
            hello = await line.hear()
        if isinstance(hello, Refused) or not isinstance(hello, Hello) or hello.version != VERSION:
            tell(AgreeingEnded(why=agree_reason(hello), name=name))
            return
        while not self._typed.empty():
            self._typed.get_nowait()
        for tried in range(TRIES):
            tell(WantCode(name=name, tries=TRIES - tried))
            digits = await self._person_types(line)
            if digits is None:
                tell(AgreeingEnded(why="late", name=name))
                return
            attempt = Agreement("types", digits, self.identity.certificate)
            line.say(Agree(message=attempt.message, certificate=self.identity.certificate))
            async with asyncio.timeout(STEP_S):
                theirs = await line.hear()
                if not isinstance(theirs, Agree) or theirs.certificate != line.certificate:
                    tell(AgreeingEnded(why=agree_reason(theirs), name=name))
                    return
                line.say(Proof(proof=attempt.proof(theirs.message, theirs.certificate)))
                answer = await line.hear()
            if isinstance(answer, Proof):
                await self._finish_agreeing(line, attempt, answer, theirs.certificate, name)
                return
            if not (isinstance(answer, Refused) and answer.why == "code"):
                tell(AgreeingEnded(why=agree_reason(answer), name=name))
                return
        tell(AgreeingEnded(why="tries", name=name))

    async def _person_types(self, line: ControlLine) -> str | None:
        """None where nobody did, or the other side has let go."""
        typing = asyncio.ensure_future(self._typed.get())
        listening = asyncio.ensure_future(line.hear())
        done, rest = await asyncio.wait({typing, listening}, timeout=PERSON_S, return_when=asyncio.FIRST_COMPLETED)
        for task in rest:
            task.cancel()
        if listening in done:
            with contextlib.suppress(LineEnded):
                listening.result()
            return None
        with contextlib.suppress(asyncio.CancelledError, LineEnded):
            await listening
        return typing.result() if typing in done else None

    async def _finish_agreeing(
        self, line: ControlLine, attempt: Agreement, answer: Proof, certificate: bytes, name: str
    ) -> None:
        try:
            attempt.check(answer.proof)
        except AgreementError:
            tell(AgreeingEnded(why="code", name=name))
            return
        self._know(certificate, name, line.address)
        tell(AgreeingEnded(why="", name=name))
        await self._exchange_ports(line, certificate, name)

    async def _ask_to_open(self, id: str) -> None:
        there, peer = self._where(id), self._agreed.get(id)
        name = there[0] if there is not None else peer.name if peer is not None else id[:8]
        if there is None or peer is None:
            tell(AskingEnded(id=id, name=name, why="gone" if peer is not None else "unknown"))
            return
        line: ControlLine | None = None
        try:
            line = await dial(there[1], there[2], self.identity.context(False, (peer.certificate,)), DIAL_S)
            line.say(Hello(version=VERSION, name=self.name, wants="open"))
            async with asyncio.timeout(PERSON_S + STEP_S):
                answer = await line.hear()
                if isinstance(answer, Hello) and answer.version == VERSION:
                    answer = await line.hear()
            if not isinstance(answer, Opened):
                why = answer.why if isinstance(answer, Refused) else "version"
                tell(AskingEnded(id=id, name=name, why=open_reason(why)))
                return
            line.say(Opened(port=self._session_port))
            self._opened(line, peer.certificate, name, answer.port)
        except (OSError, LineEnded, TimeoutError):
            tell(AskingEnded(id=id, name=name, why="gone"))
        finally:
            if line is not None:
                await line.finish()

    # Being asked

    async def _listen(self) -> None:
        context = self.identity.context(True, tuple(p.certificate for p in self._agreed.values()), strangers=True)
        self._server = await asyncio.start_server(
            self._called, sock=self._socket.dup(), ssl=context, ssl_handshake_timeout=HANDSHAKE_S,
            ssl_shutdown_timeout=0.2, limit=65536,
        )  # fmt: skip

    def _listens_anew(self) -> None:
        """Those who are known have changed."""
        if self._server is not None:
            self._server.close()
        self._listening = asyncio.ensure_future(self._listen())

    async def _called(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        line = ControlLine(reader, writer)
        self._lines += 1
        try:
            if self._lines > MOST_LINES:
                return
            async with asyncio.timeout(STEP_S):
                hello = await line.hear()
            if not isinstance(hello, Hello):
                return
            name = plain_name(hello.name) or line.address
            if hello.version != VERSION:
                line.say(Refused(why="version"))
            elif not hello.wants:  # somebody looks whether anybody is here
                line.say(Hello(version=VERSION, name=self.name))
            elif hello.wants == "agree":
                await self._agree(line, name)
            elif hello.wants == "open":
                await self._asked(line, name)
        except (LineEnded, TimeoutError, OSError, ssl.SSLError):
            pass
        finally:
            self._lines -= 1
            await line.finish()

    async def _agree(self, line: ControlLine, name: str) -> None:
        """Digits stand on the screen here, and are typed there."""
        now = time.monotonic()
        if self._code is not None or now < self._rest_until:
            line.say(Refused(why="busy" if self._code is not None else "tries"))
            return
        code = self._code = ShownCode(now)
        tell(ShowCode(digits=code.digits, name=name))
        line.say(Hello(version=VERSION, name=self.name))
        why: str = "gone"
        try:
            why = await self._take_tries(line, code, name)
        finally:
            self._code = None
            if why == "tries":
                self._rest_until = time.monotonic() + REST_S
            tell(AgreeingEnded(why=agree_code(why), name=name))

    async def _take_tries(self, line: ControlLine, code: ShownCode, name: str) -> str:
        while not (over := code.why_over(time.monotonic())):
            async with asyncio.timeout(PERSON_S):
                theirs = await line.hear()
            if self._code is not code:
                return "closed"
            if not isinstance(theirs, Agree) or code.why_over(time.monotonic()):
                return code.why_over(time.monotonic()) or "gone"
            code.tries += 1
            attempt = Agreement("shows", code.digits, self.identity.certificate)
            line.say(Agree(message=attempt.message, certificate=self.identity.certificate))
            async with asyncio.timeout(STEP_S):
                proof = await line.hear()
            try:
                if not is_certificate(theirs.certificate):
                    raise AgreementError("no certificate")
                own = attempt.proof(theirs.message, theirs.certificate)
                attempt.check(proof.proof if isinstance(proof, Proof) else b"")
            except AgreementError:
                line.say(Refused(why=code.why_over(time.monotonic()) or "code"))
                continue
            line.say(Proof(proof=own))
            self._know(theirs.certificate, name, line.address)
            await self._exchange_ports(line, theirs.certificate, name)
            return ""
        return over

    async def _asked(self, line: ControlLine, name: str) -> None:
        """By a computer that is known: the person here says yes or no."""
        id = fingerprint(line.certificate) if line.certificate else ""
        peer = self._agreed.get(id)
        if peer is None or id in self._answers:
            line.say(Refused(why="unknown" if peer is None else "busy"))
            return
        line.say(Hello(version=VERSION, name=self.name))
        answer = self._answers[id] = asyncio.get_running_loop().create_future()
        tell(Asked(id=id, name=name))
        try:
            async with asyncio.timeout(PERSON_S):
                yes = await answer
        except TimeoutError:
            line.say(Refused(why="late"))
            return
        finally:
            del self._answers[id]
            tell(Asked(id=id, name=name, over=True))
        if not yes:
            line.say(Refused(why="no"))
            return
        await self._exchange_ports(line, peer.certificate, name)

    async def _exchange_ports(self, line: ControlLine, certificate: bytes, name: str) -> None:
        line.say(Opened(port=self._session_port))
        async with asyncio.timeout(STEP_S):
            theirs = await line.hear()
        if isinstance(theirs, Opened):
            self._opened(line, certificate, name, theirs.port)

    def _opened(self, line: ControlLine, certificate: bytes, name: str, port: int) -> None:
        id = fingerprint(certificate)
        tell(OpenedTo(id=id, name=name, certificate=certificate, address=line.address, port=port,
             ours=self._session_port))  # fmt: skip

    def _know(self, certificate: bytes, name: str, address: str) -> None:
        peer = AgreedPeer(certificate=certificate, name=name, address=address)
        self.identity.agree(peer)
        self._agreed[peer.id] = peer
        self._listens_anew()
        self._tell_neighbours()


def tell(line: FromLobby) -> None:
    """To the application."""
    sys.stdout.buffer.write(msgspec.json.encode(line) + b"\n")
    sys.stdout.buffer.flush()


def main() -> None:
    given = msgspec.json.decode(sys.argv[1].encode(), type=LobbyArguments)
    try:
        asyncio.run(Lobby(given).run())
    except (OSError, ValueError) as e:
        tell(Trouble(why=str(e)))


if __name__ == "__main__":
    main()
