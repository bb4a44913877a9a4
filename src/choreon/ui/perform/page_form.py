"""What is said of a page while it is arranged and no tile is in hand: its name, its
grid, its sections, what it does when it is opened; and what is on when the show opens.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PySide6.QtGui import QShowEvent
from PySide6.QtWidgets import (
    QApplication,
    QComboBox,
    QLineEdit,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from choreon.engine.actions.tile_context import level_of, playing
from choreon.language import tr
from choreon.model import edits, offers, pages, refs
from choreon.model.refs import GROUP, MASTER, Ref, exists, name_of
from choreon.model.sameness import very_same
from choreon.model.tiles import Part, Start
from choreon.render.state import PlayState
from choreon.ui import kinds, renaming
from choreon.ui.parts import Parts
from choreon.ui.perform.group_dialog import GroupDialog
from choreon.ui.perform.page_view import PageView
from choreon.ui.widgets import basics
from choreon.ui.widgets.discard import discard
from choreon.ui.widgets.menu import Menu
from choreon.ui.widgets.numbers import NumberField

replace = edits.replace

Put = Callable[[tuple[Start, ...]], None]


class PageForm(QWidget):
    """Fields for the page that is shown."""

    def __init__(self, parts: Parts, view: PageView) -> None:
        super().__init__()
        self.parts, self.view = parts, view
        self._shown: tuple[object, ...] = ()
        self.inside = QWidget()
        self.column = QVBoxLayout(self.inside)
        self.column.setContentsMargins(2, 2, 8, 2)
        self.column.setSpacing(6)
        basics.stack(self, basics.scroller(self.inside))
        view.filled.connect(self.fill)
        parts.document.show_changed.connect(lambda _: self.fill())

    def fill(self) -> None:
        """Make the fields, where something of them is another now."""
        show, page = self.parts.document.show, self.view.page
        safe = (show.safe, show.safe_grand)
        shown = (page, show.opens, *safe, show.masters, show.playables)
        later = self.isHidden() and bool(self._shown)  # filled when it is looked at
        if later or very_same(shown, self._shown):
            return
        self._shown = shown
        focused = self._let_focus_go()
        basics.clear(self.column)
        if page is not None:
            self._fill_page()
        self._fill_show()
        self.column.addStretch(1)
        self._give_focus(focused)

    def _let_focus_go(self) -> str:
        """Whoever has the focus gives it up before it goes away: it would go on to the
        page, which would take a tile in hand. Returns its name.
        """
        focus = QApplication.focusWidget()
        if focus is None or not self.isAncestorOf(focus):
            return ""
        focus.clearFocus()
        return focus.accessibleName()

    def _give_focus(self, name: str) -> None:
        """The focus comes back to the one of that name, if it is there again."""
        for widget in self.inside.findChildren(QWidget) if name else ():
            if widget.accessibleName() == name and not widget.isHidden():
                widget.setFocus()
                return

    def showEvent(self, event: QShowEvent) -> None:
        self.fill()

    def _say(self, text: str, role: str = "soft") -> None:
        self.column.addWidget(basics.label(text, role, wrap=True))

    def _fill_page(self) -> None:
        page = self.view.page
        assert page is not None
        self._say(tr("This page"), "heading")
        self.name = QLineEdit(page.name)
        self.name.setAccessibleName(tr("Name of the page"))

        self.name.editingFinished.connect(self._rename)
        self.columns = NumberField(tr("Cells across"), 4, 24, page.columns)

        self.columns.valueChanged.connect(self._set_columns)
        self.column.addWidget(self.name)
        self.column.addWidget(
            basics.row(basics.label(tr("Cells across"), "soft"), self.columns, 1)
        )
        self._say(tr("Sections"), "soft")

        for section in page.sections:
            edit = QLineEdit(section.name)
            edit.setAccessibleName(tr("Title of the section {name}", name=section.name))
            edit.editingFinished.connect(
                lambda s=section.id, e=edit: self._rename_section(s, e.text())
            )
            gone = basics.tool(
                "close",
                tr("Without the section {name}; its tiles stay", name=section.name),
                partial(self._remove_section, section.id),
            )

            again = basics.tool(
                "copy",
                tr("Copy {name} for another group…", name=section.name),
                partial(self.copy_section, section.id),
            )
            self.column.addWidget(basics.row(edit, again, gone, spacing=2))

        self.add_section = basics.button(
            tr("Add a section"), self._add_section, "quiet", "plus"
        )

        self.column.addWidget(self.add_section)
        self._say(tr("When this page is opened"), "soft")
        self._starts(page.opens, self._set_page_opens)

    def _starts(self, opens: tuple[Start, ...], put: Put) -> None:
        show = self.parts.document.show
        for n, start in enumerate(opens):
            there = exists(show, start.ref)
            name = name_of(show, start.ref) if there else "gone"
            rest = (*opens[:n], *opens[n + 1 :])
            gone = basics.tool(
                "close", tr("Without {name}", name=name), partial(put, rest)
            )
            words = basics.name_label(
                tr("{name} at {level:.0f} %", name=name, level=100 * start.level)
            )
            self.column.addWidget(basics.row(words, 1, gone, spacing=2))

        take = basics.button(
            tr("As it is on now"),
            lambda: put(self.on_now()),
            "quiet",
            "capture",
            tr("Take what is on now, with its levels and the masters"),
        )

        self.column.addWidget(take)

    def _fill_show(self) -> None:
        show = self.parts.document.show
        self._say(tr("When the show opens"), "heading")
        self._starts(show.opens, self._set_show_opens)
        self._say(tr("Safe look"), "heading")
        self._say(tr("Ctrl+Shift+Home brings it in, and all else out."))

        self.safe = QComboBox()
        self.safe.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        self.safe.setAccessibleName(tr("Safe look"))
        self.safe.addItem(tr("None"), None)

        for playable in kinds.on_shelf(show.playables.values()):
            self.safe.addItem(playable.name, playable.ref)
            if show.safe and show.safe[0].ref == playable.ref:
                self.safe.setCurrentIndex(self.safe.count() - 1)

        self.safe.activated.connect(self._set_safe)
        self.column.addWidget(self.safe)
        percent = round(100 * show.safe_grand)
        self.safe_grand = NumberField(
            tr("Grand master of the safe look"), 5, 100, percent
        )
        self.safe_grand.setToolTip(tr("Where the safe look brings the grand master"))

        self.safe_grand.valueChanged.connect(self._set_safe_grand)
        words = basics.label(tr("Grand master, %"), "soft")
        self.column.addWidget(basics.row(words, self.safe_grand, 1))
        self._say(tr("Not reached by grand master and blackout"), "heading")
        grand = show.masters["grand"]

        for ref in getattr(grand, "exempt", ()):
            name = name_of(show, ref) if exists(show, ref) else "gone"
            gone = basics.tool(
                "close", tr("Without {name}", name=name), partial(self._exempt, ref)
            )
            self.column.addWidget(
                basics.row(basics.name_label(name), 1, gone, spacing=2)
            )

        self.exempt = basics.button(
            tr("Add a group or a fixture"), self._ask_exempt, "quiet", "plus"
        )

        self.column.addWidget(self.exempt)

    # what is on now

    def on_now(self) -> tuple[Start, ...]:
        """Returns what is on now, as what would be brought on."""
        state = self.parts.engine.state
        found = self._tiles_on(state)

        for player in state.players:
            by_tile = player.id.startswith(("tile:", "choice:"))
            if not (by_tile or player.releasing or player.lifts):
                found.setdefault(player.ref, Start(player.ref, player.level))

        if state.masters.grand < 1.0:
            found[Ref(MASTER, "grand")] = Start(
                Ref(MASTER, "grand"), state.masters.grand
            )

        for master, level in state.masters.levels.items():
            found[Ref(MASTER, master)] = Start(Ref(MASTER, master), level)

        return tuple(found.values())

    def _tiles_on(self, state: PlayState) -> dict[Ref, Start]:
        """The tiles that have something on, and how far."""
        show = self.parts.document.show
        found: dict[Ref, Start] = {}
        for page in show.pages.values():
            for tile in page.tiles:
                on = [one.is_on(state) for one in playing(show, page, tile)]
                level = level_of(show, state, page, tile)
                if level > 0.0 and any(p is not None and not p.held for p in on):
                    found[tile.ref] = Start(tile.ref, round(level, 3))
        return found

    # edits

    def _edit(self, name: str, **fields: object) -> None:
        show, page = self.parts.document.show, self.view.page
        if page is not None and any(getattr(page, n) != v for n, v in fields.items()):
            changed = replace(page, **fields)
            self.parts.document.edit(name, edits.put(show, "pages", changed))

    def _rename(self) -> None:
        page = self.view.page
        if page is not None:
            ref = Ref(refs.PAGE, page.id)
            renaming.rename(self.parts, ref, self.name.text())

    def _set_columns(self, columns: int) -> None:
        self._edit(tr("cells of the page"), columns=columns)

    def _add_section(self) -> None:
        show, _ = pages.add_section(
            self.parts.document.show, self.view.page_id, tr("Section")
        )
        self.parts.document.edit(tr("add a section"), show)

    def copy_section(self, section: str) -> None:
        """A section once more; where it plays groups, ask which ones instead."""
        page, show = self.view.page, self.parts.document.show
        if page is None:
            return
        lie = pages.spots(page, section)
        own = [tile for tile in page.tiles if tile.id in lie]
        groups = offers.groups_on(show, own)
        title = next((s.name for s in page.sections if s.id == section), "")

        instead: dict[Ref, Ref] = {}
        if groups:
            asked = tr("Copy {name} for another group", name=title)
            dialog = GroupDialog(show, groups, asked, self)
            taken = dialog.exec()
            instead = dialog.groups()
            discard(dialog)
            if not taken:
                return

        show, _ = offers.copy_section(
            self.parts.document.show, page.id, section, instead
        )
        self.parts.document.edit(tr("copy the section {name}", name=title), show)

    def _rename_section(self, section: str, name: str) -> None:
        show = pages.rename_section(
            self.parts.document.show, self.view.page_id, section, name
        )
        if show != self.parts.document.show:
            self.parts.document.edit(tr("title of a section"), show)
            sections = show.pages[self.view.page_id].sections
            called = next(s.name for s in sections if s.id == section)
            renaming.tell(self.parts, name, called)

    def _remove_section(self, section: str) -> None:
        show = pages.remove_section(
            self.parts.document.show, self.view.page_id, section
        )
        self.parts.document.edit(tr("take a section away"), show)

    def _set_page_opens(self, opens: tuple[Start, ...]) -> None:
        self._edit(tr("what the page does when it is opened"), opens=opens)

    def _set_show_opens(self, opens: tuple[Start, ...]) -> None:
        show = replace(self.parts.document.show, opens=opens)
        self.parts.document.edit(tr("what is on when the show opens"), show)

    def _set_safe(self, index: int) -> None:
        ref = self.safe.itemData(index)
        safe = () if ref is None else (Part(Ref(ref.kind, ref.id)),)
        show = replace(self.parts.document.show, safe=safe)
        self.parts.document.edit(tr("choose the safe look"), show)

    def _set_safe_grand(self, percent: int) -> None:
        show = replace(self.parts.document.show, safe_grand=percent / 100.0)
        self.parts.document.edit(
            tr("where the safe look brings the grand master"), show
        )

    def _exempt(self, ref: Ref) -> None:
        """Have a lamp be reached by the masters, or not any more."""
        show = self.parts.document.show
        before = getattr(show.masters["grand"], "exempt", ())
        rest = tuple(r for r in before if r != ref)
        after = rest if ref in before else (*before, ref)
        show = edits.change(show, Ref(MASTER, "grand"), exempt=after)
        self.parts.document.edit(tr("what the masters do not reach"), show)

    def _ask_exempt(self) -> None:
        menu, show = Menu(self), self.parts.document.show
        refs = [Ref(GROUP, group) for group in show.groups]
        refs += [Ref("fixture", fixture) for fixture in show.fixtures]
        for ref in refs:
            menu.addAction(name_of(show, ref), partial(self._exempt, ref))
        menu.exec(self.exempt.mapToGlobal(self.exempt.rect().bottomLeft()))
