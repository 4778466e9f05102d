"""How a card hands its edit to the place it stands in."""

from typing import Protocol

from ...core.document.setup import Setup


class Edit(Protocol):
    """`label` says the edit, `after` is the setup with it. Nudges of one `field` follow each other as one step."""

    def __call__(self, label: str, after: Setup, field: str = "") -> None: ...
