"""A running setup: block engine, measuring and listening back, without saying where it runs.

The live host and everything offline drive the same runner. A measuring signal reaches one output pair;
while it sounds every part is silent at its capture and every listener is muted, so that nothing of it can
come out anywhere, not even late through a delay. What was told about safety is read in every block: silence and
mutes hold whatever the plan says, and a measurement ends as soon as anybody may hear.
"""

from dataclasses import dataclass

import msgspec
import numpy as np
from msgspec.structs import replace

from ...core.measure.stimulus import GENTLY
from .block import U8, BlockEngine
from .plan import F32, Plan, PlanSet, Shape
from .plug_in_io import Beside
from .safety import Safety, Word

# How long everything stays muted after the last repeat, so that no tail reaches a part; and before the first one, so
# that
# nothing that is still on its way round is taken for it.
TAIL_S = 0.6
SETTLE_S = 0.5
SILENCES_S = 0.009


class MeasureOrder(msgspec.Struct, frozen=True):
    """`listener` index whose outputs sound the stimulus, `capture` channel that hears it, in frames the rest. It goes
    on while `number` is what the safety words allow to be measured."""

    listener: int
    capture: int
    repeats: int
    spacing: int
    number: int = 0


@dataclass
class _Measuring:
    order: MeasureOrder
    stimulus: F32
    recording: F32
    tenant: int  # of the listener's row
    position: int = -1  # frames since the first repeat, −1 before
    quiet: int = 0  # frames since everything has faded out
    state: str = "fading"


class Runner:
    """`step` is one block; orders may come between blocks. `safety` is read in every one; `cut_short` is true once a
    measurement was ended by it, until the next begins."""

    def __init__(
        self, shape: Shape, plan: Plan, beside: Beside | None = None, safety: Safety | None = None,
        missing: U8 | None = None,
    ):  # fmt: skip
        self.engine = BlockEngine(shape, plan, beside, missing)
        self.shape = shape
        self.safety = safety or Safety.of(shape)
        self.cut_short = False
        self._set = PlanSet(plan, {})
        self._moment = 0
        self._loud = 1.0  # 0 in silence
        self._plan = plan
        self._measuring: _Measuring | None = None
        self._back: F32 | None = None
        self._back_listener = self._back_tenant = 0
        self._back_at = 0
        self._back_level = 0.0

    def begin_with(self, plans: PlanSet) -> None:
        """Before anything sounds: this plan in the moment that was told, without fading from another, and in silence
        where that was told."""
        words = self.safety.words
        self._set, self._moment = plans, int(words[Word.MOMENT])
        self._plan = plans.of(self._moment)
        self._loud = float(not words[Word.SILENT])
        self.engine.begin_with(self._plan, self.safety.muted)

    def adopt(self, plan: Plan | PlanSet) -> None:
        """Another plan from the next block on, or after the change under way."""
        self._set = plan if isinstance(plan, PlanSet) else PlanSet(plan, {})
        self._go_over(self._set.of(self._moment))

    def _go_over(self, plan: Plan, frames: int = 0) -> None:
        self._plan = plan
        if self._measuring is None:
            self.engine.adopt(self._audible(), frames)

    def _obey(self) -> None:
        """What was told since the last block."""
        words = self.safety.words
        m = self._measuring
        if m is not None and not (self._may_measure(m.order) and self._sits(m.order.listener, m.tenant)):
            self.cut_short = m.state != "done" and int(words[Word.MEASURING]) == m.order.number
            self.stop_measuring()
        if self._back is not None and not self._sits(self._back_listener, self._back_tenant):
            self.stop_listening_back()
        if words[Word.MOMENT] != self._moment:
            self._moment = int(words[Word.MOMENT])
            self._go_over(self._set.of(self._moment), self._set.crossfade(self._moment))
        self.engine.mute(self.safety.muted)

    def _may_measure(self, order: MeasureOrder) -> bool:
        return self.safety.may_measure and int(self.safety.words[Word.MEASURING]) == order.number

    def _sits(self, row: int, tenant: int) -> bool:
        """Whether that listener is still in its row; whoever comes after it hears nothing that was meant for it."""
        return int(self._plan.listener_tenants[row]) == tenant

    def _hush(self, outs: F32) -> None:
        """Digital silence for everybody while it was told, whatever sounds."""
        before, wanted = self._loud, float(not self.safety.words[Word.SILENT])
        if before == wanted == 1.0:
            return
        most = self.shape.block / (SILENCES_S * self.shape.rate)
        self._loud = min(max(wanted, before - most), before + most)
        if before == self._loud == 0.0:
            outs[:] = 0.0
            return
        share = np.linspace(before, self._loud, self.shape.block + 1, dtype=np.float32)[1:]
        outs *= share * share * (3 - 2 * share)

    def _audible(self) -> Plan:
        """The plan in force: the listener that listens back hears only that."""
        if self._back is None:
            return self._plan
        gain = self._plan.gain.copy()
        gain[self._back_listener] = 0.0
        return replace(self._plan, gain=gain)

    # Measuring

    def measure(self, order: MeasureOrder, stimulus: F32, recording: F32) -> bool:
        """Begin; False where it is refused (on air, or one is under way). `recording`, zeros, is filled as it comes."""
        if self._measuring is not None or not self._may_measure(order):
            return False
        self.cut_short = False
        self._measuring = _Measuring(order, stimulus, recording, int(self._plan.listener_tenants[order.listener]))
        silent = replace(self._plan, gain=np.zeros_like(self._plan.gain), trim=np.zeros_like(self._plan.trim))
        self.engine.adopt(silent)
        return True

    def stop_measuring(self) -> None:
        if self._measuring is not None:
            self._measuring = None
            self.engine.adopt(self._audible())

    @property
    def measuring(self) -> tuple[str, float]:
        """(“”, “fading”, “sounding” or “done”; share done)."""
        m = self._measuring
        if m is None:
            return "", 0.0
        return m.state, min(1.0, max(0, m.position) / self._measure_length(m.order))

    def _measure_length(self, order: MeasureOrder) -> int:
        return order.repeats * order.spacing + round(TAIL_S * self.shape.rate)

    def _measure_block(self, ins: F32, outs: F32) -> None:
        m = self._measuring
        assert m is not None
        if m.state == "fading":
            m.quiet += 0 if self.engine.changing else self.shape.block
            if m.quiet >= SETTLE_S * self.shape.rate:
                m.state, m.position = "sounding", 0
            return
        n, order = self.shape.block, m.order
        if m.state == "sounding":
            take = min(n, max(0, len(m.recording) - m.position))
            m.recording[m.position : m.position + take] = ins[order.capture, :take]
            if m.position < order.repeats * order.spacing:
                outs[order.listener, :2] += self._stimulus_block(m)
            m.position += n
            if m.position >= self._measure_length(order):
                m.state = "done"

    def _stimulus_block(self, m: _Measuring) -> F32:
        phase = np.arange(m.position, m.position + self.shape.block) % m.order.spacing
        sound = np.zeros(self.shape.block, np.float32)
        inside = phase < len(m.stimulus)
        sound[inside] = m.stimulus[phase[inside]]
        return sound * GENTLY[min(m.position // m.order.spacing, len(GENTLY) - 1)]

    @property
    def sounds_as_routed(self) -> bool:
        """Whether nothing is measured or listened back to."""
        return self._measuring is None and self._back is None

    def finish_measuring(self) -> None:
        """After “done”: parts and listeners come back."""
        self.stop_measuring()

    # Listening back

    def listen_back(self, listener: int, sound: F32, at: int = 0) -> None:
        """Play `sound` [2, frames] from frame `at` to one listener in place of its routes."""
        self._back, self._back_listener, self._back_at = sound, listener, at
        self._back_tenant = int(self._plan.listener_tenants[listener])
        self._back_level = 0.0
        self.adopt(self._plan)

    def stop_listening_back(self) -> None:
        if self._back is not None:
            self._back = None
            self.adopt(self._plan)

    @property
    def back_frame(self) -> int:
        return self._back_at if self._back is not None else -1

    def _back_block(self, outs: F32) -> None:
        assert self._back is not None
        n, at = self.shape.block, self._back_at
        take = min(n, self._back.shape[1] - at)
        if take > 0:
            rise = min(1.0, self._back_level + n / (0.01 * self.shape.rate))
            ramp = np.linspace(self._back_level, rise, n, dtype=np.float32)[:take]
            outs[self._back_listener, :2, :take] += self._back[:, at : at + take] * ramp
            self._back_level = rise
        self._back_at += n
        if self._back_at >= self._back.shape[1]:
            self._back_level = 0.0
            self.stop_listening_back()

    def step(self, ins: F32) -> F32:
        """One block of capture channels to the listeners."""
        self._obey()
        outs = self.engine.step(ins)
        if self._measuring is not None:
            self._measure_block(ins, outs)
            self.engine.guard()
        elif self._back is not None:
            self._back_block(outs)
            self.engine.guard()
        self._hush(outs)
        self.engine.outside.look(outs)
        self.engine.levels()
        return outs
