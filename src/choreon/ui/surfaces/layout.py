"""Where the parts of a controller are drawn, and what one looks like that nobody has
described.
"""

from __future__ import annotations

from collections.abc import Iterable

from PySide6.QtCore import QRectF

from choreon.formats import surface_file
from choreon.model.effects import natural
from choreon.model.inputs import Control, MidiInput, MidiMessage, called, is_key
from choreon.model.inputs.midi import midi_parts
from choreon.model.show import Show
from choreon.model.surfaces import PartSort, Shows, Surface, SurfacePart
from choreon.ui import theme

ROW = 8  # parts beside each other of a controller that nobody has described
TALL = 2.6  # units of a fader


def placed(surface: Surface, area: QRectF, stretch: bool = False) -> dict[str, QRectF]:
    """Returns where each part of a surface is drawn, by its id: as large as there is
    room for, in its own proportions, or stretched a little to fill it.
    """
    left, top, right, bottom = surface.extent
    wide, high = max(right - left, 1.0), max(bottom - top, 1.0)
    across, down = area.width() / wide, area.height() / high
    if not stretch:
        across = min(across, 1.6 * down)
        down = min(down, 1.6 * across)

    x = area.left() + (area.width() - wide * across) / 2
    y = area.top() + (area.height() - high * down) / 2
    return {
        part.id: QRectF(
            x + (part.x - left) * across,
            y + (part.y - top) * down,
            part.w * across,
            part.h * down,
        )
        for part in surface.parts
    }


def surface_of(show: Show, port: str, moved: Iterable[Control]) -> Surface:
    """Returns the surface that a device is drawn as: the one of the show, that of a
    practice controller, else one of the parts that were moved or tied.
    """
    described = surface_file.of_device(show, port)
    if described is not None:
        return described

    tied = (tie.control for tie in show.inputs.values() if tie.control.device == port)
    known = sorted({*moved, *tied}, key=lambda control: natural(control.name))
    return _assembled(port, known)


def _assembled(port: str, known: list[Control]) -> Surface:
    """Faders in a line above, keys in lines of eight below."""
    faders = [control for control in known if not is_key(control)]
    keys = [control for control in known if is_key(control)]
    parts = []
    for n, control in enumerate(faders):
        row, column = divmod(n, 2 * ROW)
        place = (column, row * TALL, 1.0, TALL)
        parts.append(_part(control, PartSort.FADER, place))

    top = TALL * -(-len(faders) // (2 * ROW)) + 0.2
    for n, control in enumerate(keys):
        row, column = divmod(n, ROW)
        parts.append(_part(control, PartSort.PAD, (column, top + row, 1.0, 1.0)))

    kind = known[0].kind if known else MidiInput.kind
    return Surface(id=port, name=port, parts=tuple(parts), kind=kind)


def _part(
    control: Control, sort: PartSort, place: tuple[float, float, float, float]
) -> SurfacePart:
    x, y, w, h = place
    return SurfacePart(
        id=control.name,
        sort=sort,
        x=x,
        y=y,
        w=w,
        h=h,
        name=called(control),
        sends=control.name,
    )


def sort_of(control: Control) -> PartSort:
    """Returns what a control most likely looks like."""
    if control.kind != MidiInput.kind:
        return PartSort.PAD if is_key(control) else PartSort.FADER
    message = midi_parts(control.name)[0]
    if message == MidiMessage.NOTE:
        return PartSort.PAD
    return PartSort.KEY if message == MidiMessage.PROGRAM else PartSort.FADER


def colour_shown(
    part: SurfacePart, lit: int, mixed: tuple[int, int, int] | None
) -> str:
    """Returns the colour in which a part shines that was told a value, or a colour;
    empty while it is dark.
    """
    shows = part.shows
    if shows.how == Shows.MIX:
        r, g, b = (2 * v for v in mixed or (0, 0, 0))
        return f"#{r:02X}{g:02X}{b:02X}" if any((r, g, b)) else ""
    if shows.how == Shows.COLOURS:
        found = next((s.colour for s in shows.shades if s.value == lit), "")
        return "" if lit == shows.off else found
    return theme.LIVE if lit > 0 and shows.how in _LIT else ""


_LIT = (Shows.LIGHT, Shows.LEVELS)
