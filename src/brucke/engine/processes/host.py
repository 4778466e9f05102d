"""The engine's own process: one thread, the block path and nothing else.

python -m brucke.engine.processes.host SHAPE FD SOCKET BELLS WIRINGS — started by `link.py`, never by hand.
"""

import os
import sys
import time
from typing import Any

import msgspec
import numpy as np

from ...core.files.run_log import begin
from ...core.sound.kernel_arguments import Meters
from ...core.sound.publish_block import hand_out
from ...ports.devices.opening import Wirings
from ...ports.devices.port import Port
from ...ports.devices.rings import STOOD_STILL_S, Counters, RingPort
from ..step.hear_as import HearAs
from ..step.noise import NoiseStage
from ..step.output_gate import Doors
from ..step.plug_in_io import SENT, SharedBeside
from ..step.runner import MeasureOrder, Runner
from .active_rows import Lingering
from .channel import Channel
from .lives import Why, go_on, leave_out
from .messages import Begin, ListenBack, MeasureRoundTrip, Quit, Rewire, StopListeningBack, StopMeasuring
from .realtime_priority import be_prompt
from .region import Head, Region, attach

COMMANDS_A_BLOCK = 4
MEASURE_STATES = {"": 0, "fading": 1, "sounding": 2, "done": 3}
REFUSED = 4


class Host:
    def __init__(self, region: Region, channel: Channel, bells: list[int], wirings: Wirings):
        self.region, self.channel = region, channel
        shape = region.shape
        number, plans = region.read_plans()
        told: Any = region["plug_ins"]
        matched: Any = region["matched"]
        beside = SharedBeside(region.sound("plug_in_sends"), region.sound("plug_in_returns"), told, bells)
        self.safety = region.safety
        missing: Any = region["missing"]
        self.runner = Runner(shape, plans.plan, beside, self.safety, missing)
        self.outside: Any = (region["outside"], region.sound("outside_ring"))
        self.adopted = number
        rings = self.rings = RingPort(
            region.sound("in_ring"), region.sound("out_ring"), Counters(region.head, Head.OUT_BLOCKS, Head.IN_BLOCKS),
            shape.block, shape.rate, region.sound("matched_ring"), matched,
        )  # fmt: skip
        self.wiring = wiring = wirings.leading
        self._match(wirings)
        self.port: Port = wiring.port(rings, shape.block, shape.rate, self.device_says) if wiring else rings
        self.plan = plans.plan  # what it says of doors is so in every moment
        self.captures = np.zeros((shape.captures, shape.block), np.float32)
        self.record = region.sound("record_ring")
        self.chained = region.sound("chain_ring")
        names = ("part_meters", "out_meters", "readings", "input_peaks", "clips", "sum_peaks", "born", "ducked")
        self.told: dict[str, Any] = {name: region[name] for name in names}
        self.told_meters = Meters(*(self.told[name] for name in names[:-2]))
        frames = max(self.record.shape[1], self.chained.shape[2])
        self.rows, self.heard = Lingering(shape.parts, frames), Lingering(shape.listeners, frames)
        self.load = 0.0
        self.started = False
        self.began = 0  # the frame of the recorder's ring with which this engine's own count begins
        # What the engines before have counted.
        self.missed = self.not_finite = self.dropouts = 0
        self.lives = False  # whether it has begun
        self.lost = 0  # of what the device lost, what is made good

    def run(self) -> None:
        """From the word on; what was made ready before it has the newest plan first."""
        region = self.region
        self.adopted, plans = region.read_plans()
        self.plan, self.doors = plans.plan, Doors(region.shape, plans.plan, self.safety.opened)
        self.hear_as = HearAs(region.shape, self.safety.words)
        self.runner.begin_with(plans)
        told: Any = region["plug_ins"]
        told[:, SENT] += 1  # nothing that was done for another engine counts
        region.set(Head.GENERATION, region.get(Head.GENERATION) + 1)
        self.rings.begin()
        self.missed, self.not_finite = region.get(Head.MISSED), region.get(Head.NOT_FINITE)
        self.dropouts = region.get(Head.CARD_DROPOUTS)
        self.runner.engine.clips[:] = self.told["clips"]
        region.set(Head.STATE, 1)
        self.port.start()
        self.port.drive(self.period)

    def period(self) -> bool:
        """One block with its orders; False where it was the last."""
        region, deadline = self.region, self.region.shape.block / self.region.shape.rate
        began = time.thread_time()
        self._keep_time()
        if self.channel.lost or not self._commands():
            return False
        self.block()
        spent = (time.thread_time() - began) / deadline
        self.load += 0.02 * (spent - self.load)
        region.set(Head.LOAD_PPM, int(self.load * 1e6))
        region.set(Head.MISSED, self.missed + self.rings.missed)
        return True

    def _keep_time(self) -> None:
        """Frames go on with time: where blocks are missing before this one, they are silence and are logged."""
        region, n = self.region, self.region.shape.block
        now, last = time.monotonic_ns(), region.get(Head.BEAT_NS)
        passed, period = (now - last) / 1e9, n / region.shape.rate
        missing = max(0, round(passed / period) - 1) if last else 0
        lost = (self.port.lost_frames - self.lost) // n
        self.lost += lost * n
        if not self.lives:
            self.lives = True
            go_on(region, Why.REPLACED if last else Why.BEGAN, missing, now)
        elif passed > STOOD_STILL_S:
            go_on(region, Why.STOOD_STILL, missing, now)
        elif lost:
            missing = lost
            leave_out(region, missing)
        else:
            return
        self.rings.skip(missing)
        self.began = region.get(Head.RECORDED) - self.runner.engine.frames

    def device_says(self, missing: bool, in_s: float, out_s: float, dropouts: int, cycle: int, rate: int) -> None:
        assert self.wiring is not None
        self.region["missing"][list(self.wiring.devices)] = missing
        self.region.set(Head.CARD_IN_US, round(in_s * 1e6))
        self.region.set(Head.CARD_OUT_US, round(out_s * 1e6))
        self.region.set(Head.CARD_DROPOUTS, self.dropouts + dropouts)
        self.region.set(Head.CYCLE, cycle)
        self.region.set(Head.RATE, rate)

    def block(self) -> None:
        """One block from the port, through the runner, to the port, the meters and the recorder's ring."""
        region, runner = self.region, self.runner
        if not self.port.read(self.captures) and region.get(Head.WORLD_STATE) and self.started:
            region.set(Head.LATE, region.get(Head.LATE) + 1)
        else:
            self.started = self.started or region.get(Head.WORLD_STATE) == 1
        if region.get(Head.PLAN_WRITTEN) != self.adopted:
            self.adopted, plans = region.read_plans()
            self.plan = plans.plan
            runner.adopt(plans)
            region.set(Head.PLAN_ADOPTED, self.adopted)
        outs = runner.step(self.captures)
        if runner.cut_short:
            runner.cut_short = False
            region.set(Head.MEASURE_STATE, REFUSED)
        out = self.doors.let_out(outs, self.plan, self.safety.opened)
        self.hear_as.put(out, outs, self.plan, runner.sounds_as_routed)
        self.port.write(out)
        self._publish()

    def _publish(self) -> None:
        region, engine, told = self.region, self.runner.engine, self.told
        n, recorded = region.shape.block, region.get(Head.RECORDED)
        rows, heard = self.rows.rows(engine.rows, engine.frames), self.heard.rows(engine.heard, engine.frames)
        bad = hand_out(
            rows, heard, *engine.meters, *self.told_meters, engine.born, engine.listeners_born, told["born"],
            self.began,
            engine.raw, engine.outs, self.record, recorded % self.record.shape[1],
            engine.shaped, engine.unfinished, self.chained, recorded % self.chained.shape[2], engine.bad,
            engine.bad_sums,
        )  # fmt: skip
        self._tell_outside(recorded)
        told["ducked"][:] = engine.ducking.less_db
        if region.get(Head.FRAMES) % 1536 < n:
            engine.part_meters[:, :, 0] *= 0.8
            engine.out_meters[:, :, 0] *= 0.8
            engine.input_peaks *= 0.8
        region.set(Head.RECORDED, recorded + n)
        region.set(Head.FRAMES, region.get(Head.FRAMES) + n)
        region.set(Head.NOT_FINITE, self.not_finite + bad)
        state, share = self.runner.measuring
        if region.get(Head.MEASURE_STATE) != REFUSED or state:
            region.set(Head.MEASURE_STATE, MEASURE_STATES[state])
        region.set(Head.MEASURE_PPM, int(share * 1e6))
        region.set(Head.BACK, self.runner.back_frame)
        region.set(Head.CLOCK_BLOCKS, region.get(Head.OUT_BLOCKS))
        region.set(Head.CLOCK_NS, self.port.clock_ns)
        region.set(Head.BEAT_NS, time.monotonic_ns())

    def _tell_outside(self, recorded: int) -> None:
        """Of the steps outside whether they answer, and what went out and came back."""
        states, ring = self.outside
        outside, at = self.runner.engine.outside, recorded % ring.shape[2]
        states[:] = outside.state
        for k, *_rest in outside.places:
            ring[k, :, at : at + outside.blocks.shape[2]] = outside.blocks[k]

    def _commands(self) -> bool:
        """At most a few orders; False where this was the last."""
        for _ in range(COMMANDS_A_BLOCK):
            message = self.channel.receive()
            if message is None:
                return True
            match message:
                case Quit():
                    return False
                case Rewire():
                    self.rewire(message.wirings)
                case MeasureRoundTrip():
                    self._measure(message)
                case StopMeasuring():
                    self.runner.stop_measuring()
                case ListenBack():
                    sound = self.region.sound("back")[:, : message.frames]
                    self.runner.listen_back(message.listener, sound, message.at)
                case StopListeningBack():
                    self.runner.stop_listening_back()
        return True

    def rewire(self, wirings: Wirings) -> None:
        """Other devices, or other rows of them, while they sound."""
        self._match(wirings)
        if wirings.leading is not None:
            self.wiring = wirings.leading
            self.port.rewire(self.wiring)

    def _match(self, wirings: Wirings) -> None:
        cards = [(w.devices[0], [row for row, _ in w.rows]) for w in wirings.matched]
        self.rings.match(cards + [(w.devices[0], [row for row, _ in w.rows]) for w in wirings.peers])

    def _measure(self, asked: MeasureRoundTrip) -> None:
        order = MeasureOrder(asked.listener, asked.capture, asked.repeats, asked.spacing, asked.number)
        stimulus = self.region.sound("stimulus")[: asked.length]
        begun = self.runner.measure(order, stimulus, self.region.sound("measured"))
        self.region.set(Head.MEASURE_STATE, 1 if begun else REFUSED)


def warm_up(region: Region) -> None:
    """Every path once, with silence, on a runner that is thrown away; every shared page once."""
    _, plan = region.read_plan()
    runner = Runner(region.shape, plan)
    runner.adopt(plan)
    silence = np.zeros((region.shape.captures, region.shape.block), np.float32)
    for _ in range(16):
        runner.step(silence)
    for channels in (1, 2):  # noise that will be learnt later
        noise = NoiseStage.without_profile(region.shape, channels)
        for _ in range(16):
            noise.process(np.zeros((2, region.shape.block), np.float32), np.zeros((2, region.shape.block), np.float32))
    for name in ("record_ring", "chain_ring", "in_ring", "out_ring", "measured", "stimulus"):
        # Only looked at: what stands there may still be wanted by the recorder.
        region.sound(name)[..., ::1024].sum()


def main() -> None:
    """Get ready, and wait for the word: an engine may stand by for one that dies."""
    begin(os.environ.get("BRUCKE_ROLE", "engine"))
    region, channel = attach(sys.argv[1], int(sys.argv[2])), Channel.attach(int(sys.argv[3]))
    wirings = msgspec.json.decode(sys.argv[5], type=Wirings)
    warm_up(region)
    host = Host(region, channel, [int(b) for b in sys.argv[4].split(",")], wirings)
    be_prompt()
    while (message := channel.receive()) is None and not channel.lost:
        channel.wait()
    if isinstance(message, Begin):
        host.rewire(message.wirings)  # it may have changed since this engine stood by
        host.run()


if __name__ == "__main__":
    main()
