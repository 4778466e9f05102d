"""One loaded VST3 plug-in, block by block. Imported only by the processes that run one: whatever it does is theirs."""

from typing import Any

import numpy as np
import numpy.typing as npt

from ...core.errors import BruckeError

F32 = npt.NDArray[np.float32]

LISTEN_FRAMES = 8192
IMPULSE = 0.5


class PlugInError(BruckeError, ValueError):
    """Why it cannot be used, in a few words."""

    code = "plug_in"


class LoadedPlugIn:
    """`process` takes and gives blocks [2, block]; the library gives fewer frames where a plug-in declares a latency,
    so a queue makes them whole again. Settings count from 0 to 1."""

    def __init__(self, file: str, name: str, rate_hz: int, block: int):
        """PlugInError where it is none, or makes its sound from nothing."""
        import pedalboard

        try:
            names = pedalboard.VST3Plugin.get_plugin_names_for_file(file)
            self._plug_in: Any = pedalboard.VST3Plugin(file, plugin_name=name if len(names) > 1 else None)
        except (ImportError, ValueError, RuntimeError, OSError) as e:
            raise PlugInError(str(e).splitlines()[0][:200] if str(e) else "it does not load") from None
        if not self._plug_in.is_effect:
            raise PlugInError("it is an instrument, no effect")
        self.name = str(self._plug_in.name)
        self.rate_hz, self.block = rate_hz, block
        self.declared = int(getattr(self._plug_in, "reported_latency_samples", 0))
        self._queue = np.zeros((2, 0), np.float32)
        self._missing = 0

    def settings(self) -> list[tuple[str, str, float]]:
        """(key, name, value from 0 to 1)."""
        return [(k, str(p.name), float(p.raw_value)) for k, p in self._plug_in.parameters.items()]

    def set(self, key: str, value: float) -> None:
        parameter = self._plug_in.parameters.get(key)
        if parameter is not None:
            parameter.raw_value = min(max(value, 0.0), 1.0)

    def process(self, sound: F32) -> F32:
        out = self._plug_in.process(sound, self.rate_hz, buffer_size=self.block, reset=False)
        queue = np.concatenate([self._queue, np.asarray(out, np.float32)], axis=1)
        short = self.block - queue.shape[1]
        if short > 0:  # only at the beginning: from then on there is always enough
            self._missing += short
            queue = np.concatenate([np.zeros((2, short), np.float32), queue], axis=1)
        self._queue = queue[:, self.block :]
        return np.ascontiguousarray(queue[:, : self.block])

    def measure_latency(self) -> int | None:
        """In frames, by an impulse; None where the impulse cannot be told in what comes out."""
        silent = np.zeros((2, self.block), np.float32)
        blocks = -(-LISTEN_FRAMES // self.block)
        heard = [self.process(silent) for _ in range(blocks)]
        floor = float(np.abs(heard[-1]).max())
        first = silent.copy()
        first[:, 0] = IMPULSE
        heard = [self.process(first), *(self.process(silent) for _ in range(blocks - 1))]
        line = np.abs(np.concatenate(heard, axis=1)).max(axis=0)
        peak = int(np.argmax(line))
        return peak if np.isfinite(line).all() and line[peak] > max(0.01 * IMPULSE, 4 * floor) else None
