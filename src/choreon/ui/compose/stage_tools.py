"""The small tools over the stage picture in Compose: lasso, three viewpoints, a second
screen.
"""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import QEvent, QObject, Qt
from PySide6.QtGui import QGuiApplication, QKeyEvent
from PySide6.QtWidgets import QHBoxLayout, QToolButton, QVBoxLayout, QWidget

from choreon.language import tr
from choreon.ui import theme
from choreon.ui.commands import bind
from choreon.ui.parts import Parts
from choreon.ui.stage.picture import StagePicture
from choreon.ui.widgets import basics

VIEWS = (tr("From the house"), tr("From above"), tr("From the side"))


class StageTools(QWidget):
    """Lies over the upper right corner of a stage picture."""

    def __init__(self, stage: StagePicture, parts: Parts) -> None:
        super().__init__(stage)
        self.stage, self.parts = stage, parts
        self.window_: StageWindow | None = None
        self.lasso = basics.tool(
            "lasso",
            tr("Choose with a lasso rather than a box"),
            self._lasso,
            checkable=True,
        )

        self.views: list[QToolButton] = []
        box = QHBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(2)
        box.addWidget(self.lasso)

        for i, name in enumerate(VIEWS):
            button = QToolButton()
            button.setText(str(i + 1))
            button.setProperty("kind", "quiet")
            button.setFixedSize(32, 32)
            button.setFont(theme.font(13, strong=True))
            button.setToolTip(
                tr(
                    "{name} (Alt+{i}); the right button keeps the present view here",
                    name=name,
                    i=i + 1,
                )
            )
            button.setAccessibleName(tr("View {i}", i=i + 1))
            bind(self, f"view-{i + 1}", partial(stage.go_to, i))
            button.clicked.connect(lambda *_, n=i: stage.go_to(n))
            button.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
            button.customContextMenuRequested.connect(lambda _, n=i: self.keep(n))
            self.views.append(button)
            box.addWidget(button)

        self.second = basics.tool(
            "screen",
            tr("The stage picture in a window of its own, for a second screen"),
            self.open,
        )

        box.addWidget(self.second)
        stage.installEventFilter(self)

    def _lasso(self) -> None:
        self.stage.lasso = self.lasso.isChecked()

    def keep(self, number: int) -> None:
        """Keep the present view under a number."""
        self.stage.keep_view(number)
        self.parts.notices.told.emit(
            tr("This view is kept as {number}.", number=number + 1), "info"
        )

    def open(self) -> None:
        """The picture in a window of its own; on another screen where there is one."""
        if self.window_ is None:
            self.window_ = StageWindow(self.parts)
        self.window_.picture.look_from(self.stage.viewpoint)
        here = self.stage.screen()
        others = [s for s in QGuiApplication.screens() if s is not here]
        if others:
            self.window_.setGeometry(others[0].availableGeometry())
        self.window_.show()
        self.window_.raise_()

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """Stay at the upper right of what is drawn on."""
        if isinstance(watched, QWidget) and event.type() in (
            QEvent.Type.Resize,
            QEvent.Type.Show,
        ):
            size = self.sizeHint()
            self.setGeometry(
                watched.width() - size.width() - 8, 6, size.width(), size.height()
            )
        return False


class StageWindow(QWidget):
    """The stage picture alone."""

    def __init__(self, parts: Parts) -> None:
        super().__init__()
        self.setWindowTitle(tr("{name}: the stage", name=parts.document.show.name))
        self.picture = StagePicture(parts, choosing=False)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.addWidget(self.picture)
        self.resize(960, 600)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Escape closes the window."""
        if event.key() == Qt.Key.Key_Escape:
            self.close()
        else:
            super().keyPressEvent(event)
