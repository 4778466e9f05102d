"""Beside noise removal: learning the room, the profiles that were kept, and what the window costs."""

from pathlib import Path
from typing import Any

from msgspec.structs import replace
from PyQt6.QtWidgets import QFileDialog

from ....app.chains.noise_learning import NoiseLearner
from ....core.document.setup import Setup
from ....core.edits import chain_edits
from ....core.edits.naming import free_name
from ....core.sound.noise_profile import GOOD_S
from ....core.sound.processors import NoiseRemoval
from ....core.storage.noise_profile_file import PROFILE_SUFFIX, load_profile, save_profile
from ....core.storage.small_files import FileProblem
from ....words.detail import choose
from ....words.shape import WINDOWS_WORDS, mismatch_text
from ....words.timing import ms_text
from ....words.translation import _
from ...kit.button import Button
from ...kit.card import Card
from ...kit.chips import Chips
from ...kit.edit import Edit
from ...kit.flow import Flow
from ...kit.label import Words
from ...kit.progress import progress_bar
from ...theme.theme import Theme

MISMATCH_DB = 6.0  # so much louder, the profile no longer fits: common practice, no source


class NoiseCard(Card):
    """Learning the room, the profiles that were kept, and what the window costs."""

    def __init__(self, theme: Theme, edit: Edit, learning: NoiseLearner):
        super().__init__(theme)
        self.edit, self.learning = edit, learning
        self.setup, self.part = Setup(), ""
        title = Words(theme, "strong", wraps=False)
        title.setText(_("Learn the room"))
        self.hint = Words(theme, "body")
        self.bar = progress_bar(_("Learning, progress"), 100)
        self.learn = Button(theme, _("Learn"), "primary")
        self.profiles = Chips(theme, _("Profile"), [], self._choose)
        self.forget = Button(theme, _("Forget it"), "outline")
        self.windows = Chips(theme, _("Window"), [], self._window)
        self.window_words = Words(theme, "small", "mute")
        self.window_words.setText(_("a longer window is cleaner and later"))
        self.fits = Words(theme, "body", "amber")
        self.to_file = Button(theme, _("To a file…"), "outline")
        self.from_file = Button(theme, _("From a file…"), "outline")
        for w in (title, self.hint, self.bar, self.learn, self.fits, self.profiles):
            self.column.addWidget(w)
        files = Flow(8)
        for w in (self.forget, self.to_file, self.from_file):
            files.addWidget(w)
        self.column.addLayout(files)
        for w in (self.windows, self.window_words):
            self.column.addWidget(w)
        self.learn.clicked.connect(self._learn)
        self.forget.clicked.connect(self._forget)
        self.to_file.clicked.connect(self.export)
        self.from_file.clicked.connect(self.import_)

    def show_noise(self, setup: Setup, part: str, p: NoiseRemoval) -> None:
        self.setup, self.part = setup, part
        busy = self.learning.part == part
        if busy:
            left = GOOD_S * (1 - self.learning.share)
            self.hint.say(_("Leave the room as it will be and keep silent: {left:.0f} s.").format(left=left), "ink")
        elif self.learning.message:
            self.hint.say(self.learning.message, "coral" if self.learning.failed else "water")
        else:
            self.hint.say(_("Leave the room as it will be and keep silent for twelve seconds."), "ink")
        self.bar.setVisible(busy)
        self.bar.setValue(round(self.learning.share * 100))
        self.learn.setText(_("Stop") if busy else _("Learn"))
        self.profiles.offer([(x.name, x.name) for x in setup.profiles])
        self.profiles.setVisible(bool(setup.profiles))
        self.profiles.show_on(p.profile)
        for b in (self.forget, self.to_file):
            b.setVisible(bool(p.profile))
        costs = {
            k: replace(p, window=k).costs_frames(setup.block_frames) / setup.rate_hz
            for k in WINDOWS_WORDS
        }  # fmt: skip
        self.windows.offer([(k, f"{name}, {ms_text(costs[k], 1)}") for k, name in WINDOWS_WORDS.items()])
        self.windows.show_on(p.window)

    def _learn(self) -> None:
        if self.learning.part == self.part:
            self.learning.cancel()
        else:
            self.learning.begin(self.part)

    def _choose(self, name: str) -> None:
        after = chain_edits.change_processor(self.setup, f"part/{self.part}", 0, profile=name)
        self.edit(f"{self.setup.part(self.part).name} {name}", after)

    def _forget(self) -> None:
        noise = self._noise()
        self.edit(f"{noise.profile} forgotten", chain_edits.forget_profile(self.setup, noise.profile))

    def _window(self, window: str) -> None:
        after = chain_edits.change_processor(self.setup, f"part/{self.part}", 0, window=window)
        self.edit(
            _("{name} room noise, {window} window").format(name=self.setup.part(self.part).name, window=window), after
        )

    def _noise(self) -> Any:
        return self.setup.part(self.part).chain[0]

    def show_mismatch(self, db: float) -> None:
        """How much louder the room is now than what was learnt."""
        told = bool(self._noise().profile) and not self.learning.part and db > MISMATCH_DB
        self.fits.say(mismatch_text(db) if told else "")

    # Files

    def export(self) -> None:
        profile = self.setup.profile(self._noise().profile)
        if profile is None:
            return
        start = str(Path.home() / f"{profile.name}{PROFILE_SUFFIX}")
        name, _kind = QFileDialog.getSaveFileName(self, _("Keep the profile"), start, f"(*{PROFILE_SUFFIX})")
        if not name:
            return
        path = Path(name if name.endswith(".json") else name + PROFILE_SUFFIX)
        try:
            save_profile(path, profile)
        except OSError as e:
            self.hint.say(
                _("Not kept. {file}: {why}.").format(file=path.name, why=(e.strerror or str(e)).lower()), "coral"
            )
            return
        self.hint.say(_("Kept as {file}.").format(file=path.name), "water")

    def import_(self) -> None:
        name, _kind = QFileDialog.getOpenFileName(self, _("Take a profile"), str(Path.home()), "(*.json)")
        if not name:
            return
        try:
            profile = load_profile(Path(name))
        except FileProblem as e:
            self.hint.say(_("Not taken. {why}.").format(why=e), "coral")
            return
        if profile.rate_hz != self.setup.rate_hz:
            self.hint.say(
                choose(
                    _("Not taken: it was learnt at another rate. Learn it here."),
                    _("Not taken: it was learnt at {theirs} Hz, this setup runs at {ours} Hz. Learn it here."),
                ).format(theirs=profile.rate_hz, ours=self.setup.rate_hz),
                "coral",
            )
            return
        profile = replace(profile, name=free_name(profile.name or _("room"), [p.name for p in self.setup.profiles]))
        after = chain_edits.keep_profile(self.setup, f"part/{self.part}", profile)
        self.edit(_("{name} taken").format(name=profile.name), after)
