"""The engine's own process: one thread, the block path and nothing else.

python -m brucke.engine.processes.host SHAPE FD SOCKET BELLS WIRINGS — started by `link.py`, never by hand.
"""

import sys
import time
from typing import Any

import msgspec
import numpy as np

from ...core.sound.handing_out import hand_out
from ...ports.devices.opening import Wirings
from ...ports.devices.port import Port
from ...ports.devices.rings import RingPort
from ..step.beside import SENT, SharedBeside
from ..step.door import Doors
from ..step.noise import NoiseStage
from ..step.runner import MeasureOrder, Runner
from .channel import Channel
from .lingering import Lingering
from .prompt import be_prompt
from .region import Head, Region, attach

COMMANDS_A_BLOCK = 4
MEASURE_STATES = {"": 0, "fading": 1, "sounding": 2, "done": 3}
REFUSED = 4


class Host:
    def __init__(self, region: Region, channel: Channel, bells: list[int], wirings: Wirings):
        self.region, self.channel = region, channel
        shape = region.shape
        number, plan = region.read_plan()
        told: Any = region["plug_ins"]
        matched: Any = region["matched"]
        beside = SharedBeside(region.sound("plug_in_sends"), region.sound("plug_in_returns"), told, bells)
        self.runner = Runner(shape, plan, beside)
        self.adopted = number
        rings = self.rings = RingPort(
            region.sound("in_ring"), region.sound("out_ring"), region.head, Head.OUT_BLOCKS, Head.IN_BLOCKS,
            shape.block, shape.rate, region.sound("matched_ring"), matched,
        )  # fmt: skip
        self.wiring = wiring = wirings.leading
        self._match(wirings)
        self.port: Port = wiring.port(rings, shape.block, shape.rate, self._device_says) if wiring else rings
        self.door, self.doors = plan.door, Doors(shape, plan.door)
        self.captures = np.zeros((shape.captures, shape.block), np.float32)
        self.record = region.sound("record_ring")
        self.chained = region.sound("chain_ring")
        names = ("part_meters", "out_meters", "readings", "input_peaks", "clips", "sum_peaks", "born")
        self.told: dict[str, Any] = {name: region[name] for name in names}
        frames = max(self.record.shape[1], self.chained.shape[2])
        self.rows, self.heard = Lingering(shape.parts, frames), Lingering(shape.listeners, frames)
        self.load = 0.0
        self.started = False
        self.began = 0  # the frame of the recorder's ring with which this engine's own count begins

    def run(self) -> None:
        """From the word on; what was made ready before it has the newest plan first."""
        region = self.region
        number, plan = region.read_plan()
        if number != self.adopted:
            self.adopted = number
            self.door, self.doors = plan.door, Doors(region.shape, plan.door)
            self.runner.begin_with(plan)
        told: Any = region["plug_ins"]
        told[:, SENT] += 1  # nothing that was done for another engine counts
        region.set(Head.GENERATION, region.get(Head.GENERATION) + 1)
        self.began = region.get(Head.RECORDED)
        region.set(Head.STATE, 1)
        self.port.start()
        self.port.drive(self._period)

    def _period(self) -> bool:
        """One block with its orders; False where it was the last."""
        region, deadline = self.region, self.region.shape.block / self.region.shape.rate
        began = time.thread_time()
        if self.channel.lost or not self._commands():
            return False
        self.block()
        spent = (time.thread_time() - began) / deadline
        self.load += 0.02 * (spent - self.load)
        region.set(Head.LOAD_PPM, int(self.load * 1e6))
        region.set(Head.MISSED, self.rings.missed)
        return True

    def _device_says(self, missing: bool, in_s: float, out_s: float, dropouts: int, cycle: int) -> None:
        assert self.wiring is not None
        self.region["missing"][list(self.wiring.devices)] = missing
        self.region.set(Head.CARD_IN_US, round(in_s * 1e6))
        self.region.set(Head.CARD_OUT_US, round(out_s * 1e6))
        self.region.set(Head.CARD_DROPOUTS, dropouts)
        self.region.set(Head.CYCLE, cycle)

    def block(self) -> None:
        """One block from the port, through the runner, to the port, the meters and the recorder's ring."""
        region, runner = self.region, self.runner
        if not self.port.read(self.captures) and region.get(Head.WORLD_STATE) and self.started:
            region.set(Head.LATE, region.get(Head.LATE) + 1)
        else:
            self.started = self.started or region.get(Head.WORLD_STATE) == 1
        if region.get(Head.PLAN_WRITTEN) != self.adopted:
            self.adopted, plan = region.read_plan()
            self.door = plan.door
            runner.adopt(plan)
            region.set(Head.PLAN_ADOPTED, self.adopted)
        self.port.write(self.doors.let_out(runner.step(self.captures), self.door))
        self._publish()

    def _publish(self) -> None:
        region, engine, told = self.region, self.runner.engine, self.told
        n, recorded = region.shape.block, region.get(Head.RECORDED)
        rows, heard = self.rows.rows(engine.rows, engine.frames), self.heard.rows(engine.heard, engine.frames)
        bad = hand_out(
            rows, heard, engine.part_meters, told["part_meters"], engine.out_meters, told["out_meters"], engine.readings, told["readings"],
            engine.input_peaks, told["input_peaks"], engine.clips, told["clips"], engine.sum_peaks, told["sum_peaks"],
            engine.born, engine.listeners_born, told["born"], self.began,
            engine.raw, engine.outs, self.record, recorded % self.record.shape[1],
            engine.shaped, engine.unfinished, self.chained, recorded % self.chained.shape[2], engine.bad, engine.bad_sums,
        )  # fmt: skip
        if region.get(Head.FRAMES) % 1536 < n:
            engine.part_meters[:, :, 0] *= 0.8
            engine.out_meters[:, :, 0] *= 0.8
            engine.input_peaks *= 0.8
        region.set(Head.RECORDED, recorded + n)
        region.set(Head.FRAMES, region.get(Head.FRAMES) + n)
        region.set(Head.NOT_FINITE, bad)
        state, share = self.runner.measuring
        if region.get(Head.MEASURE_STATE) != REFUSED or state:
            region.set(Head.MEASURE_STATE, MEASURE_STATES[state])
        region.set(Head.MEASURE_PPM, int(share * 1e6))
        region.set(Head.BACK, self.runner.back_frame)
        region.set(Head.CLOCK_BLOCKS, region.get(Head.OUT_BLOCKS))
        region.set(Head.CLOCK_NS, self.port.clock_ns)
        region.set(Head.BEAT_NS, time.monotonic_ns())

    def _commands(self) -> bool:
        """At most a few orders; False where this was the last."""
        for _ in range(COMMANDS_A_BLOCK):
            message = self.channel.receive()
            if message is None:
                return True
            match message["do"]:
                case "quit":
                    return False
                case "wiring":
                    self.rewire(message["wiring"])
                case "on_air":
                    self.runner.on_air = bool(message["value"])
                case "measure":
                    self._measure(message)
                case "stop_measuring":
                    self.runner.stop_measuring()
                case "listen_back":
                    sound = self.region.sound("back")[:, : int(message["frames"])]
                    self.runner.listen_back(int(message["listener"]), sound, int(message["at"]))
                case "stop_listening_back":
                    self.runner.stop_listening_back()
        return True

    def rewire(self, text: str) -> None:
        """Other devices, or other rows of them, while they sound."""
        wirings = msgspec.json.decode(text, type=Wirings)
        self._match(wirings)
        if wirings.leading is not None:
            self.wiring = wirings.leading
            self.port.rewire(self.wiring)

    def _match(self, wirings: Wirings) -> None:
        self.rings.match([(w.devices[0], [row for row, _ in w.rows]) for w in wirings.matched])

    def _measure(self, message: dict[str, int]) -> None:
        order = MeasureOrder(message["listener"], message["capture"], message["repeats"], message["spacing"])
        stimulus = self.region.sound("stimulus")[: message["length"]]
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
    region, channel = attach(sys.argv[1], int(sys.argv[2])), Channel.attach(int(sys.argv[3]))
    wirings = msgspec.json.decode(sys.argv[5], type=Wirings)
    warm_up(region)
    host = Host(region, channel, [int(b) for b in sys.argv[4].split(",")], wirings)
    be_prompt()
    while (message := channel.receive()) is None and not channel.lost:
        channel.wait()
    if message is not None and message["do"] == "go":
        host.rewire(message["wiring"])  # it may have changed since this engine stood by
        host.run()


if __name__ == "__main__":
    main()
