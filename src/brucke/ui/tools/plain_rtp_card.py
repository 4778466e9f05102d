"""A program that is no Brucke and speaks plain RTP: sent to by a description that is written for it, taken from by its
own."""

from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QFileDialog

from ...core.edits.peer_edits import PLAIN
from ...core.files.safe_read import ReadProblem, read_bytes
from ...core.network.session_description import MOST_BYTES, DescriptionError, read_description
from ...core.network.socket_address import is_address
from ...engine.step.live import open_now
from ...words import two_computers as words
from ...words.translation import _
from ..kit.button import Button
from ..kit.card import Card
from ..kit.field import NumberField, TextField
from ..kit.label import Words
from ..kit.row import row
from ..theme.theme import Theme
from .rows import Press, Rows

if TYPE_CHECKING:
    from ...app.network.two_computers import TwoComputers

PORT = 5004  # RFC 3551, section 8


class PlainRtpCard(Card):
    def __init__(self, theme: Theme, two: "TwoComputers"):
        super().__init__(theme)
        self._two = two
        title, about, self.said = Words(theme, "name"), Words(theme, "body", "mute"), Words(theme, "strong", "coral")
        title.setText(_("A program that speaks plain RTP"))
        about.setText(words.PLAIN_ABOUT)
        self.address, self.port = TextField(theme, _("Address of the other computer")), NumberField(
            theme, _("Port"), 1024, 65535, "", 0
        )  # fmt: skip
        self.port.show_value(PORT)
        self.send, self.take = Button(theme, _("Send to it…")), Button(theme, _("Take its stream…"))
        self.there = Rows(theme)
        for w in (title, about, self.said):
            self.column.addWidget(w)
        label = Words(theme, "body", "mute", wraps=False)
        label.setText(_("address and port"))
        self.column.addLayout(row(label, self.address, self.port, self.send, self.take))
        self.column.addWidget(self.there)
        self.send.clicked.connect(self._send)
        self.take.clicked.connect(self._take)
        self.said.say("")

    def refresh(self) -> None:
        two, rows = self._two, list[tuple[str, str, list[Press]]]()
        for id, peer in two.sessions.items():
            if not id.startswith(PLAIN):
                continue
            rows.append((*words.plain_text(peer.name, peer.state, peer.given.comes is not None),
                         [(id, _("Close"), None, partial(two.part, id))]))  # fmt: skip
            for x in two.given(id):
                is_open = open_now(two.session.setup, x, two.session.live)
                text, press = words.door_text(x.name, is_open, two.session.live.silent)
                do = partial(two.let_hear, x.id, not is_open)
                rows.append((text, "water" if is_open else "mute", [(x.id, press, None, do)]))
        self.there.show_rows(rows)

    def _send(self) -> None:
        """The description is written first: without it nobody there could take anything."""
        from ...app.network.plain_rtp import send_plain

        address = self.address.text().strip()
        if not is_address(address):
            self.said.say(_("“{text}” is no address. It is four numbers, as 192.168.1.20.").format(text=address[:60]))
            return
        file, _kind = QFileDialog.getSaveFileName(
            self, _("The description for the program there"), "brucke.sdp", "*.sdp"
        )
        if not file:
            return
        text = send_plain(self._two, address, round(self.port.value()))
        try:
            Path(file).write_bytes(text.encode())
        except OSError as e:
            self._two.part(f"{PLAIN}{address}")
            self.said.say(_("{file} was not written: {why}. Nothing is sent.").format(file=file, why=e.strerror))
            return
        self.said.say("")

    def _take(self) -> None:
        from ...app.network.plain_rtp import take_plain

        file, _kind = QFileDialog.getOpenFileName(self, _("The description of its stream"), "", "*.sdp")
        if not file:
            return
        try:
            stream = read_description(read_bytes(Path(file), MOST_BYTES, _("a description")))
        except (ReadProblem, DescriptionError) as e:
            self.said.say(_("{file} is not taken: {why}.").format(file=Path(file).name, why=e))
            return
        self.said.say("")
        take_plain(self._two, stream)
