"""An empty setup: what to start from."""

from PyQt6.QtCore import QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QAbstractButton, QSizePolicy, QVBoxLayout, QWidget

from ...words_documents import TEMPLATE_WORDS
from ..kit.button import Button
from ..kit.flow import Flow
from ..kit.label import Words
from ..kit.pictured import Picture
from ..paint.sheet import colour
from ..theme.fonts import font, height, width, wrap
from ..theme.theme import Theme


class TemplateButton(QAbstractButton):
    """A card with a name and what is in it."""

    def __init__(self, theme: Theme, name: str, what: str):
        super().__init__()
        self._theme, self._what = theme, what
        self._picture = Picture()
        self.setText(name)
        self.setAccessibleName(f"{name}: {what}")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Fixed)
        self.setAttribute(Qt.WidgetAttribute.WA_Hover)
        theme.changed.connect(self.updateGeometry)

    def lines(self) -> list[str]:
        t = self._theme.tokens
        return wrap(self._what, "body", t.scale, self.sizeHint().width() - t.px(32))

    def sizeHint(self) -> QSize:
        t = self._theme.tokens
        wide = max(t.px(300), width(self.text(), "name", t.scale) + t.px(32))
        rows = len(wrap(self._what, "body", t.scale, wide - t.px(32)))
        return QSize(round(wide), round(height("name", t.scale) + rows * height("body", t.scale) + t.px(32)))

    def keyPressEvent(self, e: QKeyEvent | None) -> None:
        key = e.key() if e is not None else 0
        if key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.click()
        elif key in (Qt.Key.Key_Down, Qt.Key.Key_Right):
            self.focusNextChild()
        elif key in (Qt.Key.Key_Up, Qt.Key.Key_Left):
            self.focusPreviousChild()
        else:
            super().keyPressEvent(e)

    def paintEvent(self, e: QPaintEvent | None) -> None:
        key = (self.hasFocus(), self.underMouse(), self._theme.tokens)
        self._picture.show(self, QPainter(self), key, self._paint)

    def _paint(self, p: QPainter) -> None:
        t = self._theme.tokens
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        strong = self.hasFocus()
        p.setPen(QPen(colour(t, "water" if strong or self.underMouse() else "edge"), 2.5 if strong else 1.2))
        p.setBrush(colour(t, "tint" if strong or self.underMouse() else "card"))
        p.drawRoundedRect(QRectF(self.rect()).adjusted(1.5, 1.5, -1.5, -1.5), t.px(8), t.px(8))
        name, body = height("name", t.scale), height("body", t.scale)
        x, y, w = t.px(16), t.px(14), self.width() - t.px(32)
        p.setPen(colour(t, "water"))
        p.setFont(font("name", t.scale))
        p.drawText(QRectF(x, y, w + 4, name), int(Qt.AlignmentFlag.AlignLeft), self.text())
        p.setPen(colour(t, "ink"))
        p.setFont(font("body", t.scale))
        for i, line in enumerate(self.lines()):
            p.drawText(QRectF(x, y + name + t.px(2) + i * body, w + 4, body), int(Qt.AlignmentFlag.AlignLeft), line)


class StartPage(QWidget):
    """Shown while nothing comes in and nobody listens."""

    chose = pyqtSignal(str)  # code of a template
    opens = pyqtSignal()

    def __init__(self, theme: Theme):
        super().__init__()
        column = QVBoxLayout(self)
        column.setContentsMargins(24, 24, 24, 12)
        column.setSpacing(12)
        title = Words(theme, "title", wraps=False)
        title.setText("What shall it be?")
        hint = Words(theme, "body", "mute")
        hint.setText(
            "Each comes with sounds to try it at once. Everything in it can be changed, and nothing is lost by starting."
        )
        self.templates: dict[str, TemplateButton] = {}
        flow = Flow(14)
        for code, (name, what) in TEMPLATE_WORDS.items():
            button = TemplateButton(theme, name, what)
            button.clicked.connect(lambda _checked=False, code=code: self.chose.emit(code))
            self.templates[code] = button
            flow.addWidget(button)
        self.open = Button(theme, "Open a setup", "outline", "Ctrl+O")
        self.open.clicked.connect(self.opens)
        column.addWidget(title)
        column.addWidget(hint)
        column.addLayout(flow)
        column.addWidget(self.open)
        column.addStretch(1)
        self.open.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Fixed)

    def focus_first(self) -> None:
        next(iter(self.templates.values())).setFocus()
