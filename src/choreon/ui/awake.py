"""Keeping the screen awake, by the desktop's own service (org.freedesktop.ScreenSaver
of the idle inhibition specification). Where there is none, nothing is done.
"""

from __future__ import annotations

from PySide6.QtDBus import QDBusConnection, QDBusInterface, QDBusMessage

SERVICE, PATH = "org.freedesktop.ScreenSaver", "/org/freedesktop/ScreenSaver"


class Awake:
    """Holds the screen awake from `hold` to `release`."""

    def __init__(self) -> None:
        self._cookie: int | None = None

    def hold(self, why: str) -> bool:
        """Keep the screen awake. Returns whether the desktop agreed."""
        bus = QDBusConnection.sessionBus()
        if self._cookie is not None or not bus.isConnected():
            return self._cookie is not None
        reply = QDBusInterface(SERVICE, PATH, SERVICE, bus).call(
            "Inhibit", "Choreon", why
        )
        if reply.type() == QDBusMessage.MessageType.ReplyMessage:
            self._cookie = int(reply.arguments()[0])
        return self._cookie is not None

    def release(self) -> None:
        """Let it sleep again."""
        if self._cookie is not None:
            bus = QDBusConnection.sessionBus()
            QDBusInterface(SERVICE, PATH, SERVICE, bus).call("UnInhibit", self._cookie)
            self._cookie = None
