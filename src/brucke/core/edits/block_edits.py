"""Another block, with the buffers of the interfaces that go with it. Pure: Setup -> Setup."""

from msgspec.structs import replace

from ..document.setup import Device, Setup

SIZES = (32, 64, 128, 256, 512, 1024, 2048)


def set_block(setup: Setup, frames: int) -> Setup:
    """Every interface buffers as many blocks as it did before."""

    def fitting(d: Device) -> Device:
        if d.kind != "interface" or not d.buffer_frames:
            return d
        return replace(d, buffer_frames=max(frames, round(d.buffer_frames / setup.block_frames * frames)))

    return replace(setup, block_frames=frames, devices=tuple(map(fitting, setup.devices)))


def smaller(setup: Setup) -> tuple[int, ...]:
    """The blocks that are worth trying: the one there is, and those below it."""
    return tuple(f for f in sorted({setup.block_frames, *SIZES}, reverse=True) if f <= setup.block_frames)
