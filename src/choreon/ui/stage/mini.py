"""Mini-stages: a scene's light as a small picture, made once and kept for as long as nothing changes."""

from __future__ import annotations

from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QPainter, QPixmap

from choreon.model.show import Scene
from choreon.render.decode import Decoder
from choreon.render.rig import Rig
from choreon.ui.session import Session
from choreon.ui.stage.painter import StagePainter


class MiniStages:
    """Draws scenes in small."""

    def __init__(self, session: Session) -> None:
        self.session = session
        self._stages: dict[tuple[int, int], tuple[Decoder, StagePainter]] = {}
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
        light = self.session.light_of(scene)
        self._stage(width, height).paint(painter, QRectF(0, 0, width, height), light, bodies=False)
        painter.end()
        self._made[key] = (scene, rig, pixmap)
        return pixmap

    def _stage(self, width: int, height: int) -> StagePainter:
        """One painter for all pictures of a size: lamps that do not turn are drawn alike in all of them."""
        decoder, room = self.session.decoder, self.session.show.room
        known = self._stages.get((width, height))
        if known is None or known[0] is not decoder or known[1].room is not room:
            known = self._stages[(width, height)] = (decoder, StagePainter(decoder.lamps, room))
        return known[1]
