"""What guests see and may do, and handing the pages over to one."""

from __future__ import annotations

from PySide6.QtWidgets import QCheckBox, QComboBox, QDialog, QLineEdit, QWidget

from choreon import starter
from choreon.language import tr
from choreon.model import edits
from choreon.model.tiles import Guest, PowerOn
from choreon.ui.parts import Parts
from choreon.ui.perform import pin
from choreon.ui.widgets import basics
from choreon.ui.widgets.dialog import Dialog
from choreon.ui.widgets.flow import flow
from choreon.ui.widgets.tick import Tick

MAY = {
    "levels": tr("Levels: faders, dials, colours, aims"),
    "choices": tr("Choices: pads, flashes, choices"),
    "tempo": tr("The tempo"),
    "go": tr("GO and back of stacks"),
    "blackout": tr("Blackout"),
}
POWER = {
    PowerOn.OPENING: tr("What is on when the show opens"),
    PowerOn.LAST: tr("What was on last"),
}
SHORTEST = 4  # figures of a PIN


class GuestDialog(Dialog):
    """Sets what guests see and may do. `hands_over`: the guest is to begin now."""

    def __init__(self, parts: Parts, parent: QWidget) -> None:
        super().__init__(parent)
        self.parts, self.hands_over = parts, False
        self.setWindowTitle(tr("Guest"))
        show, guest = parts.document.show, parts.document.show.guest
        self.pages: dict[str, QCheckBox] = {}

        for page in show.pages.values():
            box = Tick(basics.literal(page.name))
            box.setChecked(not guest.pages or page.id in guest.pages)
            self.pages[page.id] = box

        self.may: dict[str, QCheckBox] = {}
        for name, words in MAY.items():
            box = Tick(words)
            box.setChecked(bool(getattr(guest, name)))
            self.may[name] = box

        self.pin = QLineEdit()
        self.pin.setEchoMode(QLineEdit.EchoMode.Password)
        self.pin.setAccessibleName(tr("PIN"))
        held = tr("as it is") if guest.pin else tr("none")
        self.pin.setPlaceholderText(held)

        self.again = QLineEdit()
        self.again.setEchoMode(QLineEdit.EchoMode.Password)
        self.again.setAccessibleName(tr("The PIN again"))
        self.again.setPlaceholderText(tr("once more"))
        self.pin.setToolTip(tr("Without a PIN anyone may leave the pages"))
        self.no_pin = Tick(tr("No PIN"))

        self.no_pin.setVisible(bool(guest.pin))
        self.power = QComboBox()
        self.power.setAccessibleName(tr("When the guest pages start by themselves"))

        for key, words in POWER.items():
            self.power.addItem(words, key)

        self.power.setCurrentIndex(list(POWER).index(guest.power_on))
        self.starter = basics.button(
            tr("Make a starter"),
            self._make_starter,
            "quiet",
            "power",
            tr("A desktop file that starts these pages"),
        )

        self.trouble = basics.label("", "alarm", wrap=True)
        self.start = basics.button(tr("Hand over"), self._hand_over, "main", "guest")
        self.keep = basics.button(tr("Keep this"), self._keep)
        self.cancel = basics.button(tr("Cancel"), self.reject, "quiet")
        inside = QWidget()
        basics.stack(
            inside,
            basics.label(tr("Pages"), "heading"),
            *self.pages.values(),
            basics.label(tr("A guest may play"), "heading"),
            *self.may.values(),
            basics.label(tr("PIN to leave: four figures or more"), "heading"),
            basics.row(self.pin, self.again),
            self.no_pin,
            basics.label(tr("When the guest pages start by themselves"), "heading"),
            flow(self.power, 1, self.starter),
            margins=0,
            spacing=8,
        )
        basics.stack(
            self,
            basics.label(tr("Hand the pages to a guest"), "big"),
            basics.label(
                tr("They fill the screen; the lock at the upper right leads out."),
                "soft",
            ),
            self.scrolled(inside),
            self.trouble,
            basics.row(self.cancel, 1, self.keep, self.start),
            margins=20,
            spacing=8,
        )

        self.setMinimumWidth(460)

    def enters(self, field: QLineEdit) -> bool:
        """From the PIN on to where it is typed once more; there it is handed over."""
        if field is self.pin and self.pin.text() != self.again.text():
            self.again.setFocus()
            return False
        return True

    def made(self) -> Guest | None:
        """Returns what is set; None where the PIN cannot be taken."""
        guest, typed = self.parts.document.show.guest, self.pin.text()
        chosen = tuple(i for i, box in self.pages.items() if box.isChecked())
        if not chosen:
            self.trouble.setText(tr("Choose a page at least."))
            return None

        stored = "" if self.no_pin.isChecked() else guest.pin
        if typed:
            if not typed.isdecimal() or len(typed) < SHORTEST:
                self.trouble.setText(
                    tr("A PIN has four figures or more, and only figures.")
                )
                return None

            if typed != self.again.text():
                self.trouble.setText(tr("The two PINs differ."))
                return None

            stored = pin.kept(typed)

        whole = len(chosen) == len(self.pages)
        return Guest(
            pages=() if whole else chosen,
            pin=stored,
            power_on=self.power.currentData(),
            **{name: box.isChecked() for name, box in self.may.items()},
        )

    def _make_starter(self) -> None:
        document = self.parts.document
        try:
            path = starter.write(document.path, document.show.name)
        except OSError as error:
            self.trouble.setText(
                tr("No starter could be written: {strerror}.", strerror=error.strerror)
            )
            return
        self.trouble.setText("")
        text = tr(
            "The starter lies at {path}; the desktop's menu shows it too.", path=path
        )
        self.parts.notices.told.emit(text, "info")

    def _keep(self) -> None:
        guest = self.made()
        if guest is None:
            return
        show = self.parts.document.show
        if guest != show.guest:
            after = edits.replace(show, guest=guest)
            self.parts.document.edit(tr("what guests see and may do"), after)
        self.accept()

    def _hand_over(self) -> None:
        self.hands_over = True
        self._keep()
        if self.result() != QDialog.DialogCode.Accepted:
            self.hands_over = False
