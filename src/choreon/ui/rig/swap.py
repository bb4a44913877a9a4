"""Swap: another mode or type for the chosen; what becomes of their programming is told
before.
"""

from __future__ import annotations

from PySide6.QtWidgets import QComboBox, QLineEdit, QVBoxLayout, QWidget

from choreon.language import sentences, tr
from choreon.model.fixture_type import FixtureType
from choreon.model.swap import Swap, swap, translate
from choreon.ui import theme, words
from choreon.ui.parts import Parts
from choreon.ui.rig.hang import channel_map
from choreon.ui.rig.type_list import ID, TypeList, searched
from choreon.ui.widgets import basics
from choreon.ui.widgets.dialog import SEARCH, Dialog

FATES = {
    "lost": (
        theme.ALARM,
        "▲",
        tr("Has no effect on the new fixture; it stays in the scenes for the way back"),
    ),
    "near": (theme.DRAFT, "◐", tr("Comes close")),
    "kept": (theme.LIVE, "●", tr("Stays as it is")),
}


class SwapDialog(Dialog):
    """Type and mode on the left, what it does on the right."""

    def __init__(self, parts: Parts, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.parts = parts
        self.ids = [
            i for i in parts.selection.chosen if i in parts.document.show.fixtures
        ]

        self.plan: Swap | None = None
        self.setWindowTitle(tr("Swap"))

        self.resize(760, 520)
        first = parts.document.show.fixtures[self.ids[0]]
        names = words.some([parts.document.show.fixtures[i].name for i in self.ids])
        self.search = QLineEdit()
        self.search.setProperty(SEARCH, True)
        self.search.setPlaceholderText(tr("Find: maker, name, kind, slots"))

        self.search.setAccessibleName(tr("Find a type"))
        self.search.setToolTip(tr("Types by maker, name, kind or number of slots"))
        self.search.textChanged.connect(lambda _: self._fill())
        self.types = TypeList()
        self.mode = QComboBox()

        self.mode.setAccessibleName(tr("Mode"))
        self.mode.setToolTip(tr("The mode as it will be set on the fixture"))
        self.mode.currentIndexChanged.connect(lambda _: self._replan())
        self.map = basics.label("", "small", wrap=True)
        self.report = QVBoxLayout()

        self.report.setSpacing(4)
        self.go = basics.button(tr("Swap"), self._swap, "main", "swap")
        leave = basics.button(tr("Cancel"), self.reject, "quiet")
        left, right = QWidget(), QWidget()
        basics.stack(left, self.search, self.types, self.mode, self.map)

        left.setFixedWidth(280)
        inner = QWidget()
        inner.setLayout(self.report)
        basics.stack(
            right,
            basics.label(tr("What becomes of the programming"), "heading"),
            basics.scroller(inner),
        )

        both = basics.row(left, right, spacing=16)
        basics.grow(both, 1)
        basics.stack(
            self,
            basics.name_label(tr("Swap {names}", names=names), "big"),
            both,
            basics.row(1, leave, self.go),
            margins=16,
            spacing=12,
        )

        self._fill(first.type)
        self.types.currentItemChanged.connect(lambda *_: self._type_changed())
        self._type_changed(first.mode)

    def _fill(self, chosen: str = "") -> None:
        now = chosen or (
            self.types.currentItem().data(ID) if self.types.currentItem() else ""
        )
        self.types.fill(
            searched(self.parts.document.kinds(), self.search.text(), []), set(), now
        )

    def choose(self, type_id: str, mode: str) -> None:
        """Choose a type and a mode."""
        for i in range(self.types.count()):
            if self.types.item(i).data(ID) == type_id:
                self.types.setCurrentRow(i)
        self.mode.setCurrentIndex(self.mode.findData(mode))

    def _kind(self) -> FixtureType | None:
        item = self.types.currentItem()
        return self.parts.document.kinds().get(item.data(ID)) if item else None

    def _type_changed(self, mode: str = "") -> None:
        kind = self._kind()
        self.mode.blockSignals(True)
        self.mode.clear()
        for one in kind.modes if kind else ():
            self.mode.addItem(one.name, one.name)
        self.mode.setCurrentIndex(max(0, self.mode.findData(mode)))
        self.mode.blockSignals(False)
        self._replan()

    def _replan(self) -> None:
        """Work out what the swap would do, and say it."""
        show = self.parts.document.show
        kind, name = self._kind(), self.mode.currentData()
        basics.clear(self.report)
        mode = kind.mode(name) if kind and name else None
        self.plan = None

        self.map.setText("")
        if kind is not None and mode is not None:
            self.plan = swap(show, self.ids, kind, mode.name)
            self.map.setText(channel_map(kind, mode))

        fixtures = [show.fixtures[i] for i in self.ids]
        wanted = (kind.id if kind else "", name)
        same = all((f.type, f.mode) == wanted for f in fixtures)
        homeless = self.plan is None or bool(self.plan.homeless)
        self.go.setEnabled(not homeless and not same)

        if self.plan is None:
            return

        for text, colour in self.lines_of(self.plan):
            line = basics.label(text, wrap=True)
            line.setStyleSheet(f"color: {colour};")
            self.report.addWidget(line)

        self.report.addStretch(1)

    def lines_of(self, plan: Swap) -> list[tuple[str, str]]:
        """What a swap does, line by line, each with its colour."""
        before, after = self.parts.document.show.fixtures, plan.show.fixtures
        found = []
        if plan.homeless:
            who = words.some([before[i].name for i in plan.homeless])
            text = tr("▲ {who}: their universe has no room for it.", who=who)
            advice = tr("Move them to another universe first.")
            found.append((sentences(text, advice), theme.ALARM))

        if plan.readdressed:
            moved = [after[i] for i in plan.readdressed]
            who = words.some(
                [
                    tr(
                        "{name} to {universe}.{address}",
                        name=f.name,
                        universe=f.universe,
                        address=f.address,
                    )
                    for f in moved
                ]
            )
            found.append((tr("▲ New address: {who}", who=who), theme.DRAFT))

        for fate, (colour, sign, title) in FATES.items():
            lines = [line for line in plan.lines if line.fate == fate]
            if lines:
                found.append((title, theme.SOFT))
                found += [(f"{sign} {line.text}", colour) for line in lines]

        if not plan.lines:
            found.append((tr("No scene holds anything for them."), theme.SOFT))

        return found

    def _swap(self) -> None:
        kind = self._kind()
        if self.plan is None or kind is None:
            return

        before, draft = self.parts.document.show, self.parts.engine.state.draft.look
        mode = self.mode.currentData()
        fitted = translate(before, draft, self.ids, kind, mode)
        self.parts.document.edit(
            tr("swap {n} for {label}", n=len(self.ids), label=kind.label),
            self.plan.show,
        )

        if fitted != draft:
            self.parts.draft.touch({i: fitted[i] for i in self.ids if i in fitted})

        self.parts.notices.told.emit(
            tr(
                "{n} swapped for {label}, {mode}. Set the mode on the fixtures too.",
                n=len(self.ids),
                label=kind.label,
                mode=mode,
            ),
            "info",
        )

        self.accept()
