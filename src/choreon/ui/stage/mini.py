"""Mini-stages: a scene's light as a small picture, made once and kept for as long as nothing changes."""

from __future__ import annotations

from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QPainter, QPixmap

from choreon.model.show import Scene
from choreon.render.rig import Rig
from choreon.ui.session import Session
from choreon.ui.stage.painter import StagePainter


class MiniStages:
    """Draws scenes in small."""

    def __init__(self, session: Session) -> None:
        self.session = session
        self._made: dict[tuple[str, int, int], tuple[Scene, Rig, QPixmap]] = {}

    def picture(self, scene: Scene, width: int, height: int, ratio: float = 1.0) -> QPixmap:
        """The scene as a picture of that many pixels."""
        key = (scene.id, width, height)
        rig = self.session.programme.rig
        known = self._made.get(key)
        if known is not None and known[0] is scene and known[1] is rig:
            return known[2]
        pixmap = QPixmap(int(width * ratio), int(height * ratio))
        pixmap.setDevicePixelRatio(ratio)
        pixmap.fill(Qt.GlobalColor.black)
        painter = QPainter(pixmap)
        stage = StagePainter(self.session.decoder.lamps, self.session.show.room)
        stage.paint(painter, QRectF(0, 0, width, height), self.session.light_of(scene), soften=1.0, bodies=False)
        painter.end()
        self._made[key] = (scene, rig, pixmap)
        return pixmap
