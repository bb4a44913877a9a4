"""The line that tells what happened, and what to do."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QEvent, QObject
from PySide6.QtWidgets import QFrame, QWidget

from choreon.language import tr
from choreon.ui import theme
from choreon.ui.widgets import basics


class Notice(QFrame):
    """What the program has to say: a bar that lies over the lower edge of the place, so
    that nothing moves for it. Alarms stand until they are dismissed, one by one, the
    newest first; what is said meanwhile hides none of them for good.
    """

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.kind = "info"
        self.standing: list[str] = []
        """The alarms that nobody has dismissed yet."""
        self.setObjectName("notice")
        self.text = basics.label("", wrap=True)
        self.sign = basics.label("", rich=True)
        self.dismissed: Callable[[str], None] = lambda kind: None
        self.dismiss = basics.tool("close", tr("Dismiss"), self._dismiss)
        self.stop = basics.button(
            tr("Stop"), self._dismiss, "quiet", tip=tr("Let it go")
        )

        line = basics.row(self.sign, self.text, self.stop, self.dismiss)
        basics.grow(line, 1)
        basics.stack(self, line).setContentsMargins(16, 6, 8, 6)
        self._away = basics.once(self, 5000, self.hide)
        parent.installEventFilter(self)
        self.hide()

    def tell(self, text: str, kind: str = "info") -> None:
        """Show a line; an alarm stays until it is dismissed."""
        if kind == "alarm":
            if text in self.standing:
                self.standing.remove(text)
            self.standing.append(text)
        elif kind == "info" and self.standing and self.isVisible():
            return
        self._show(text, kind)

    def withdraw(self, text: str) -> None:
        """An alarm does not hold any more."""
        if text in self.standing:
            self.standing.remove(text)
            if self.isVisible() and self.kind == "alarm":
                self._go_on()

    def end(self, kind: str) -> None:
        """What was told of a kind is over: alarms show again."""
        if self.isVisible() and self.kind == kind:
            self._go_on()

    def _go_on(self) -> None:
        """Show the newest alarm that stands, or nothing."""
        if self.standing:
            self._show(self.standing[-1], "alarm")
        else:
            self.hide()

    def _show(self, text: str, kind: str) -> None:
        self.kind = kind
        token, sign = {
            "alarm": (theme.ALARM, "▲"),
            "learn": (theme.DRAFT, "◌"),
            "work": (theme.LIVE, "◌"),
        }.get(kind, (theme.LIVE, "●"))

        self.setStyleSheet(
            f"#notice {{ background: {theme.FLAT}; border: 1px solid {token}; "
            f"border-radius: {theme.RADIUS}px; }}"
        )

        if kind == "alarm" and len(self.standing) > 1:
            sign = tr("{sign} {n}", sign=sign, n=len(self.standing))
        self.sign.setText(
            tr('<span style="color:{token}">{sign}</span>', token=token, sign=sign)
        )

        self.text.setText(text)
        self.stop.setVisible(kind == "work")
        self.dismiss.setVisible(kind != "work")
        self.show()
        self.raise_()
        self._lay()

        if kind == "info":
            self._away.start()
        else:
            self._away.stop()

    def _dismiss(self) -> None:
        kind = self.kind
        if kind == "alarm" and self.standing:
            self.standing.pop()
        self._go_on()
        self.dismissed(kind)

    def _lay(self) -> None:
        parent, layout = self.parentWidget(), self.layout()
        if parent is None or layout is None:
            return
        words = self.text.fontMetrics().horizontalAdvance(self.text.text())
        width = min(parent.width() - 48, 760, max(360, words + 140))
        height = max(46, layout.heightForWidth(width))
        self.setGeometry(
            (parent.width() - width) // 2, parent.height() - height - 18, width, height
        )

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() == event.Type.Resize and self.isVisible():
            self._lay()
        return False
