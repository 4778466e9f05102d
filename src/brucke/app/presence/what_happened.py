"""What somebody who helps needs to know, as text for the clipboard: versions, the setup without names, the last of the
log."""

import platform
from collections import Counter

from PyQt6.QtCore import QT_VERSION_STR

from ...core.document.setup import Setup
from ...core.files.run_log import last_lines
from ...words.translation import _

LINES = 60


def what_happened(setup: Setup, state: str) -> str:
    """`state` is that of the engine."""
    from importlib.metadata import PackageNotFoundError, version

    try:
        own = version("brucke")
    except PackageNotFoundError:
        own = "?"
    kinds = ", ".join(
        f"{count} {kind}"
        for things in (setup.devices, setup.parts, setup.listeners)
        for kind, count in Counter(x.kind for x in things).items()
    )
    real = sum(bool(d.card) for d in setup.devices)
    return "\n".join(
        [
            f"Brucke {own}, Python {platform.python_version()}, Qt {QT_VERSION_STR}, {platform.platform()}",
            f"{setup.rate_hz} Hz, {setup.block_frames} frames; {kinds or _('nothing in it')}; {real} real; {state}",
            "",
            *last_lines(LINES),
        ]
    )
