"""What the sound server tells that no document says, as facts that every place asks: who plays nothing, what is
unplugged, who records past us."""

from collections.abc import Collection, Mapping, Sequence

from msgspec.structs import replace

from ...core.document.setup import Setup
from ...core.knowledge.evidence import Facts
from ...ports.devices.server.mistakes import Mistake
from ...ports.devices.server.names import taken_program


def with_server(
    facts: Facts, setup: Setup, silent: Collection[str], gone: Mapping[str, tuple[str, str]], wrong: Sequence[Mistake]
) -> Facts:
    """`silent` are programs, `gone` the ends of interfaces by name; the same facts where nothing is another."""
    quiet = tuple(
        p.id for p in setup.parts
        if p.kind != "picture" and (d := setup.device(p.device)).kind != "interface" and taken_program(d) in silent
    )  # fmt: skip
    devices = {d.id for d in setup.devices}
    bare = tuple((m.program, m.device) for m in wrong if m.code == "bare")
    known = {id: ends for id, ends in gone.items() if id in devices and any(ends)}
    if (quiet, known, bare) == (facts.quiet, facts.ends_gone, facts.bare):
        return facts
    return replace(facts, quiet=quiet, ends_gone=known, bare=bare)
