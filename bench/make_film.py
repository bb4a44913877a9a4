"""The film of the sample show, made by rule: light on the water of an estuary, twelve
seconds that close. `python bench/make_film.py` writes it, and what a show keeps of it.
"""

from __future__ import annotations

import math
from pathlib import Path

import av
import msgspec
import numpy as np

from choreon.formats import films

WIDE, HIGH, RATE, SECONDS = 192, 108, 25, 12
INTO = Path(films.SHIPPED)


def picture(n: int) -> np.ndarray:
    """Returns a frame (h, w, 3), bytes."""
    t = 2.0 * math.pi * n / (RATE * SECONDS)
    x, y = np.meshgrid(np.linspace(-1.0, 1.0, WIDE), np.linspace(0.0, 1.0, HIGH))
    swell = sum(
        np.sin(k * x * 3.0 + m * t + 5.0 * y * k) / k
        for k, m in ((1, 1), (2, -2), (3, 3), (5, -4))
    )
    water = 0.5 + 0.22 * swell
    glint = np.clip((water - 0.62) * 4.0, 0.0, 1.0) * np.exp(-((x * 1.6) ** 2))
    dusk = 0.5 + 0.5 * math.sin(t)
    red = 0.02 + 0.5 * glint + 0.25 * dusk * (1.0 - y) * (1.0 - np.abs(x))
    green = 0.10 + 0.35 * water * y + 0.35 * glint
    blue = 0.25 + 0.55 * water
    light = np.stack([red, green, blue], axis=-1)
    return (np.clip(light, 0.0, 1.0) * 255.0).astype(np.uint8)


def main() -> None:
    """Write the film."""
    INTO.mkdir(exist_ok=True)
    path = INTO / "estuary.mp4"
    with av.open(str(path), "w") as container:
        stream = container.add_stream("mpeg4", rate=RATE)
        stream.width, stream.height, stream.pix_fmt = WIDE, HIGH, "yuv420p"
        stream.bit_rate = 120_000
        for n in range(RATE * SECONDS):
            frame = av.VideoFrame.from_ndarray(picture(n), format="rgb24")
            for packet in stream.encode(frame):
                container.mux(packet)
        for packet in stream.encode():
            container.mux(packet)

    image = films.read(path)
    image = msgspec.structs.replace(image, id="estuary", name="Estuary", path=path.name)
    (INTO / "estuary.json").write_bytes(msgspec.json.format(msgspec.json.encode(image)))
    print(path.stat().st_size, "bytes,", image.seconds, "s")


if __name__ == "__main__":
    main()
