"""The text of the play: cues stand at its words, and the line to watch for stands at
one height, whatever was gone before.
"""

from __future__ import annotations

from PySide6.QtCore import QEasingCurve, QPoint, QPropertyAnimation, QRect, Qt, Signal
from PySide6.QtGui import (
    QColor,
    QFont,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QResizeEvent,
    QTextBlock,
    QTextCharFormat,
    QTextCursor,
)
from PySide6.QtWidgets import QFrame, QPlainTextEdit, QStackedWidget, QTextEdit, QWidget

from choreon.language import plural, sentences, tr
from choreon.model import edits
from choreon.model.playables.stack import Cue, number_in_words
from choreon.model.script import (
    MOST,
    Paragraphs,
    TextPlace,
    paragraphs_of,
    with_text,
    word_at,
    words_of,
)
from choreon.ui import theme
from choreon.ui.score.hand import ScoreHand
from choreon.ui.widgets import basics
from choreon.ui.widgets.flow import flow

HEIGHT = 0.4  # of the view, from above, at which the line to watch for stands
GLIDE = 260  # milliseconds in which the text comes there
MARGIN = 58  # points left of the text, where the numbers of cues stand
LETTERS = 19  # points of its letters
AROUND = 80  # paragraphs before and behind those in sight whose words are marked


class Flags(QWidget):
    """The margin beside the text, in which each cue has its flag."""

    def __init__(self, script: Script) -> None:
        super().__init__(script)
        self.script = script

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), QColor(theme.DECK))
        lowest = -1000

        for cue, place in self.script.in_sight():
            # flags of one line stand below each other
            top = max(place.y(), lowest)
            lowest = top + 22
            self._draw(painter, cue, top)

    def _draw(self, painter: QPainter, cue: Cue, top: int) -> None:
        coming = cue.id == self.script.next_id
        on = cue.id == self.script.now_id
        room = QRect(4, top + 1, self.width() - 12, 20)
        ground = theme.LIVE if coming else theme.LIFT
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(ground))
        painter.drawRoundedRect(room, 4, 4)
        if cue.id in self.script.hand.chosen:
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(QColor(theme.CHOSEN), 1.5))
            painter.drawRoundedRect(room, 4, 4)

        painter.setPen(QColor(theme.PIT if coming else theme.TEXT))
        painter.setFont(theme.font(13, strong=True))
        number = number_in_words(cue.number)
        text = f"● {number}" if on else number
        painter.drawText(room, Qt.AlignmentFlag.AlignCenter, text)


class Script(QPlainTextEdit):
    """The text itself. A press on a word sets the chosen cue there."""

    pressed = Signal(object, bool)
    """A `TextPlace`, and whether a new cue is wanted there."""

    def __init__(self, hand: ScoreHand) -> None:
        super().__init__()
        self.hand = hand
        self.shown: Paragraphs = ()
        self.now_id = self.next_id = ""
        self._marked = range(0)

        self.setReadOnly(True)
        self.setFont(theme.font(LETTERS))
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setFocusPolicy(Qt.FocusPolicy.ClickFocus)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setCenterOnScroll(True)  # the last line, too, may stand at the height

        self.setAccessibleName(tr("Text of the play"))
        self.setTextInteractionFlags(Qt.TextInteractionFlag.NoTextInteraction)
        self.setToolTip(
            tr(
                "Press a word to set the chosen cue there; Shift and a press puts in a "
                "new cue"
            )
        )

        self.viewport().setCursor(Qt.CursorShape.PointingHandCursor)
        self.setViewportMargins(MARGIN, 0, 0, 0)
        self.flags = Flags(self)

        self._glide = QPropertyAnimation(self.verticalScrollBar(), b"value", self)
        self._glide.setDuration(GLIDE)
        self._glide.setEasingCurve(QEasingCurve.Type.InOutQuad)
        self.updateRequest.connect(lambda *_: self.flags.update())
        self.verticalScrollBar().valueChanged.connect(lambda _: self._scrolled())

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        room = self.contentsRect()
        self.flags.setGeometry(room.x(), room.y(), MARGIN, room.height())
        self.aim(glide=False)

    def show_text(self, text: Paragraphs) -> None:
        """Show another text."""
        if text is not self.shown:
            self.shown = text
            self.setPlainText("\n".join(text))

    def follow(self) -> None:
        """Show where cues stand, and have the next one's word stand at its height."""
        now, coming = self.hand.now, self.hand.next
        self.now_id = "" if now is None else now.id
        next_id = "" if coming is None else coming.id
        moved, self.next_id = next_id != self.next_id, next_id
        self._mark()
        self.flags.update()
        self.viewport().update()
        if moved:
            self.aim()

    def _scrolled(self) -> None:
        """Marks are made for what is near; farther on they are made anew."""
        seen = self._in_view()
        if seen.start < self._marked.start or seen.stop > self._marked.stop:
            self._mark()

    def _in_view(self) -> range:
        """The paragraphs that are in sight."""
        first = self.firstVisibleBlock().blockNumber()
        end = QPoint(0, self.viewport().height())
        return range(first, self.cursorForPosition(end).blockNumber() + 1)

    def _mark(self) -> None:
        """Underline the words of cues that are near; the next one's stands out."""
        seen = self._in_view()
        self._marked = near = range(seen.start - AROUND, seen.stop + AROUND)

        marks = []
        for cue in self.hand.cues:
            far = cue.at is None or cue.at.paragraph not in near
            cursor = None if far else self._cursor_at(cue)
            if cursor is None:
                continue
            mark = QTextEdit.ExtraSelection()
            mark.cursor = cursor
            mark.format = self._format(cue)
            marks.append(mark)
        self.setExtraSelections(marks)

    def _format(self, cue: Cue) -> QTextCharFormat:
        made = QTextCharFormat()
        coming = cue.id == self.next_id
        made.setUnderlineStyle(QTextCharFormat.UnderlineStyle.SingleUnderline)
        made.setUnderlineColor(QColor(theme.LIVE if coming else theme.SOFT))
        if coming:
            made.setBackground(QColor(theme.LIVE))
            made.setForeground(QColor(theme.PIT))
            made.setFontWeight(QFont.Weight.DemiBold)
        return made

    def _block_of(self, cue: Cue) -> tuple[QTextBlock, TextPlace] | None:
        place = cue.at
        if place is None or place.lost or place.paragraph >= len(self.shown):
            return None
        block = self.document().findBlockByNumber(place.paragraph)
        return (block, place) if block.isValid() else None

    def _cursor_at(self, cue: Cue) -> QTextCursor | None:
        """The word that a cue stands at, marked."""
        found = self._block_of(cue)
        if found is None:
            return None
        block, place = found
        spans = words_of(block.text())
        if not spans:
            return None
        begin, end = spans[min(place.word, len(spans) - 1)]
        cursor = QTextCursor(block)
        cursor.setPosition(block.position() + begin)
        cursor.setPosition(block.position() + end, QTextCursor.MoveMode.KeepAnchor)
        return cursor

    def in_sight(self) -> list[tuple[Cue, QPoint]]:
        """Returns the cues whose words are in sight, and where these are."""
        high, found = self.viewport().height(), []
        seen = self._in_view()
        for cue in self.hand.cues:
            place = cue.at
            if place is None or place.lost or place.paragraph not in seen:
                continue
            cursor = self._cursor_at(cue)
            if cursor is None:
                continue
            start = QTextCursor(cursor)
            start.setPosition(cursor.selectionStart())
            where = self.cursorRect(start)
            if where.top() > high:
                break
            if where.bottom() >= 0:
                found.append((cue, where.topLeft()))
        return found

    def aim(self, glide: bool = True) -> None:
        """Have the word of the next cue stand at its height."""
        cue = next((c for c in self.hand.cues if c.id == self.next_id), None)
        found = None if cue is None else self._block_of(cue)
        if found is None:
            return

        block, place = found
        spans = words_of(block.text())
        begin = spans[min(place.word, len(spans) - 1)][0] if spans else 0
        line = block.layout().lineForTextPosition(begin).lineNumber()
        step = max(1, self.fontMetrics().lineSpacing())
        above = int(self.viewport().height() * HEIGHT / step)
        wanted = max(0, block.firstLineNumber() + max(0, line) - above)

        self._glide.stop()
        bar = self.verticalScrollBar()
        if not glide or not self.isVisible():
            bar.setValue(wanted)
            return
        self._glide.setStartValue(bar.value())
        self._glide.setEndValue(wanted)
        self._glide.start()

    def paintEvent(self, event: QPaintEvent) -> None:
        """The text, and a line across it above the next cue's."""
        super().paintEvent(event)
        cue = next((c for c in self.hand.cues if c.id == self.next_id), None)
        cursor = None if cue is None else self._cursor_at(cue)
        if cursor is None:
            return
        start = QTextCursor(cursor)
        start.setPosition(cursor.selectionStart())
        top = self.cursorRect(start).top() - 2
        painter = QPainter(self.viewport())
        painter.setPen(QPen(QColor(theme.LIVE), 1.5))
        painter.drawLine(0, top, self.viewport().width(), top)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """A press on a word."""
        if event.button() != Qt.MouseButton.LeftButton or not self.shown:
            return
        cursor = self.cursorForPosition(event.position().toPoint())
        number = cursor.blockNumber()
        paragraph = self.shown[number] if number < len(self.shown) else ""
        place = TextPlace(number, word_at(paragraph, cursor.positionInBlock()))
        fresh = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        self.pressed.emit(place, fresh)


class ScriptPane(QFrame):
    """The text with what reads and corrects it."""

    file_wanted = Signal()

    def __init__(self, hand: ScoreHand) -> None:
        super().__init__()
        self.hand = hand
        self.setProperty("panel", "true")
        self.script = Script(hand)
        self.script.pressed.connect(self._pressed)
        self.editor = QPlainTextEdit()
        self.editor.setFont(theme.font(16))
        self.editor.setTabChangesFocus(True)
        self.editor.setAccessibleName(tr("Text of the play, to be typed or pasted"))
        self.editor.setPlaceholderText(
            tr("Type or paste the text here, a paragraph a line.")
        )

        self.read = basics.button(
            tr("Read a file…"),
            self.file_wanted.emit,
            "quiet",
            "import",
            tr("Read the text from TXT, Markdown, DOCX or PDF; cues stay at words"),
        )
        self.correct = basics.button(
            tr("Correct"),
            self.begin,
            "quiet",
            "edit",
            tr("Type in the text; cues stay at their words"),
        )
        self.take = basics.button(tr("Take it"), self.end, "main", "check")
        self.leave = basics.button(tr("Cancel"), self.cancel, "quiet")
        self.told = basics.label("", "small", wrap=True)

        self.pages = QStackedWidget()
        self.pages.addWidget(self.script)
        self.pages.addWidget(self.editor)
        box = basics.stack(
            self,
            flow(
                basics.label(tr("Text"), "heading"),
                1,
                self.read,
                self.correct,
                self.leave,
                self.take,
            ),
            self.told,
            self.pages,
            margins=10,
        )
        box.setStretch(2, 1)
        hand.changed.connect(self.follow)
        hand.went.connect(self.script.follow)
        hand.chosen_changed.connect(self.script.flags.update)
        self._show(editing=False)
        self.follow()

    @property
    def editing(self) -> bool:
        """Whether the text is being typed."""
        return self.pages.currentWidget() is self.editor

    def follow(self) -> None:
        """Show the text of the stack in hand."""
        stack = self.hand.stack
        text = () if stack is None else stack.text
        self.script.show_text(text)
        self.script.follow()
        words = self._words(text)
        basics.say(self.told, words)
        self.told.setVisible(bool(words))

    def _words(self, text: Paragraphs) -> str:
        """What is to be said about it."""
        if not text:
            return tr(
                "No text yet. Read it from a file, or press “Correct” and paste it: "
                "cues then stand at its words, and GO shows those before the next one."
            )
        lost = [cue for cue in self.hand.cues if cue.at is not None and cue.at.lost]
        if lost:
            return sentences(
                plural(
                    len(lost),
                    "The word of {n} cue is gone from the text.",
                    "The words of {n} cues are gone from the text.",
                ),
                tr("Choose such a cue and press the word that it stands at now."),
            )
        placed = sum(cue.at is not None for cue in self.hand.cues)
        if placed == len(self.hand.cues):
            return ""
        return tr("Choose a cue, and press the word that it stands at.")

    def _pressed(self, place: TextPlace, fresh: bool) -> None:
        if fresh:
            self.hand.add_at(place)
        else:
            self.hand.set_at(place)

    def begin(self) -> None:
        """Type in the text."""
        stack = self.hand.stack
        if stack is not None:
            self.editor.setPlainText("\n".join(stack.text))
            self._show(editing=True)
            self.editor.setFocus()

    def end(self) -> None:
        """Take what was typed."""
        typed = paragraphs_of(self.editor.toPlainText()[:MOST])
        self._show(editing=False)
        self.put(typed)

    def cancel(self) -> None:
        """Leave the text as it was."""
        self._show(editing=False)

    def _show(self, editing: bool) -> None:
        self.pages.setCurrentWidget(self.editor if editing else self.script)
        for widget in (self.take, self.leave):
            widget.setVisible(editing)
        for widget in (self.read, self.correct):
            widget.setVisible(not editing)

    def put(self, text: Paragraphs) -> None:
        """Have the stack be played to a text, or to another version of it."""
        stack = self.hand.stack
        if stack is None or text == stack.text:
            return

        after, lost = with_text(stack, text)
        show = edits.put(self.hand.show, "playables", after)
        self.hand.parts.document.edit(tr("text of the play"), show)
        if lost:
            told = plural(
                len(lost),
                "{n} cue asks to be placed anew: its word is gone.",
                "{n} cues ask to be placed anew: their words are gone.",
            )
            self.hand.parts.notices.told.emit(told, "info")
