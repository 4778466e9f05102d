"""A moment that begins a recording of a take, or ends the one that runs, as it is called up."""

from PyQt6.QtCore import QObject

from ...words.translation import _
from ..recording.take_recorder import TakeRecorder
from ..session.session import Session

BEGINS = _("{moment}: a take is recorded from now on.")
ENDS = _("{moment}: the take has ended.")
BUSY = _("{moment} would record a take, and the one before is still being collected or measured: nothing is recorded.")


class MomentTakes(QObject):
    """Only calling a moment up does something; nobody is asked anything in the middle of an hour, so whoever has not
    agreed to be recorded is left out."""

    def __init__(self, session: Session, taking: TakeRecorder):
        super().__init__()
        self.session, self.taking = session, taking
        self._now = session.opened, session.live.moment
        session.changed.connect(self._see)

    def _see(self) -> None:
        before, self._now = self._now, (self.session.opened, self.session.live.moment)
        if before == self._now or before[0] != self.session.opened:  # another document begins in its first moment
            return
        moment, taking = self.session.setup.moment(self.session.live.moment), self.taking
        if moment is None or moment.recording is None or (taking.proof_take and taking.state == "recording"):
            return
        if moment.recording and taking.state == "idle":
            taking.record(asks=False)
            if taking.state in ("recording", "starting"):
                self.session.noticed.emit(BEGINS.format(moment=moment.name), "water")
        elif moment.recording and taking.state not in ("recording", "starting"):
            self.session.noticed.emit(BUSY.format(moment=moment.name), "amber")
        elif not moment.recording and taking.state in ("recording", "starting"):
            taking.record()
            self.session.noticed.emit(ENDS.format(moment=moment.name), "water")
