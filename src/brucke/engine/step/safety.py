"""Words about safety: who is open, what is muted, silence, whether anything may be measured.

They are told to the engine without compiling anything and read in every block, so that no plan that fails or comes late
keeps a door open. What is heard is what the plan allows *and* what was told. Each word is one aligned int64, written by
the application only.
"""

from enum import IntEnum

import msgspec
import numpy as np

from ...core.document.setup import Setup
from ...core.routing.rows import Rows
from .live import Live, has_door, moment_key, open_now
from .plan import I64, Shape

AS_IT_WAS = -1  # of a row that was left: who leaves muted fades out muted


class Word(IntEnum):
    """Which word stands where."""

    ON_AIR = 0  # 1: somebody else may hear, and nothing is measured
    SILENT = 1  # 1: nobody hears anything
    MOMENT = 2  # the key of the moment that is in force, see `live.moment_key`
    MEASURING = 3  # the number of the measurement that may go on, 0: none
    # The listener whose output the monitors get: its row + 1 (0: their own), who sits there, whether half of it is
    # their own. The rows of the monitors, as bits; 1: they are held down while something howls.
    HEAR_ROW = 4
    HEAR_TENANT = 5
    HEAR_HALF = 6
    MONITORS = 7
    DIM = 8


TOLD = (
    Word.SILENT, Word.ON_AIR, Word.MOMENT, Word.MONITORS, Word.DIM, Word.HEAR_TENANT, Word.HEAR_HALF, Word.HEAR_ROW,
)  # fmt: skip


class Safety(msgspec.Struct, frozen=True):
    """`words` int64 [len(Word)]. `opened` [L] names the tenant of a listener's row whose door is open, `muted` [P] the
    tenant of a part's row whom nobody hears, 0: nobody. What was told of one tenant does not hold for the next."""

    words: I64
    opened: I64
    muted: I64

    @classmethod
    def of(cls, shape: Shape) -> "Safety":
        """Nobody is open, nobody is muted."""
        return cls(*(np.zeros(count, np.int64) for count in (len(Word), shape.listeners, shape.parts)))

    def write(self, told: "Safety") -> None:
        """All but what is measured, which has an order of its own. What makes silent is written before what lets
        hear."""
        self.opened[:] = np.where(told.opened == self.opened, self.opened, 0)
        muted = np.where(told.muted == AS_IT_WAS, self.muted, told.muted)
        self.muted[:] = np.where(muted != 0, muted, self.muted)
        for word in TOLD:
            self.words[word] = told.words[word]
        self.muted[:] = muted
        self.opened[:] = told.opened

    @property
    def may_measure(self) -> bool:
        return not self.words[Word.ON_AIR] and not self.words[Word.SILENT]


def safety_of(setup: Setup, live: Live, rows: Rows) -> Safety:
    """What is told of a setup in `rows` while `live` is in force. Pure. Who has no row cannot be open."""
    parts, listeners = rows.parts, rows.listeners
    opened = {x.id for x in setup.listeners if has_door(setup, x.id) and open_now(setup, x, live)}
    words = np.zeros(len(Word), np.int64)
    words[Word.ON_AIR], words[Word.SILENT], words[Word.MOMENT] = live.on_air, live.silent, moment_key(live.moment)
    _hear_as(words, setup, live, rows)
    return Safety(
        words,
        np.array([t if who in opened else 0 for who, t in zip(listeners.who, listeners.tenants(), strict=True)],
        np.int64),
        np.array(
            [AS_IT_WAS if who is None else t if who[0] in live.muted else 0 for who,
            t in zip(parts.who, parts.tenants(), strict=True)],
            np.int64,
        ),
    )  # fmt: skip


def _hear_as(words: I64, setup: Setup, live: Live, rows: Rows) -> None:
    who, tenants = rows.listeners.who, rows.listeners.tenants()
    monitors = {x.id for x in setup.listeners if x.kind == "monitor"}
    words[Word.MONITORS] = sum(1 << x for x, id in enumerate(who) if id in monitors)
    words[Word.DIM] = live.dimmed
    if live.hears_as and live.hears_as in who:
        row = who.index(live.hears_as)
        words[Word.HEAR_ROW], words[Word.HEAR_TENANT], words[Word.HEAR_HALF] = row + 1, tenants[row], live.half
