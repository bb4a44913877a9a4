"""Makes the song that ships, “Lanterns Home”: by rule, so that its beats and sections
are known. Needs `soundfile`; what it makes is in the repository.

    python -m bench.make_song src/choreon/sound/shipped/lanterns-home.ogg
"""

from __future__ import annotations

import sys
from pathlib import Path

import numpy as np

RATE = 32_000
BPM, BAR = 96.0, 4
BEAT = 60.0 / BPM
SECTIONS = (  # name, bars, and how much of it plays
    ("intro", 4, {"pad"}),
    ("verse", 8, {"pad", "bass", "hat"}),
    ("chorus", 8, {"pad", "bass", "hat", "drums", "lead"}),
    ("verse", 8, {"pad", "bass", "hat"}),
    ("chorus", 8, {"pad", "bass", "hat", "drums", "lead"}),
    ("outro", 4, {"pad"}),
)
VERSE = ((0, 3, 7), (8, 12, 15), (3, 7, 10), (10, 14, 17))
CHORUS = ((3, 7, 10), (10, 14, 17), (0, 3, 7), (8, 12, 15))
TUNE = (12, 15, 14, 10, 12, 7, 10, 8)


def tone(semitones: float, seconds: float, parts: tuple[float, ...]) -> np.ndarray:
    """A tone above A, of harmonics that strong."""
    at = np.arange(int(seconds * RATE)) / RATE
    hertz = 110.0 * 2.0 ** (semitones / 12.0)
    return sum(
        part * np.sin(2 * np.pi * hertz * (n + 1) * at) for n, part in enumerate(parts)
    )


def shaped(sound: np.ndarray, rise: float, fall: float) -> np.ndarray:
    """A sound that comes and dies away, in seconds."""
    at = np.arange(len(sound)) / RATE
    end = np.minimum(1.0, (at[-1] - at) / 0.02)
    return sound * np.minimum(1.0, at / rise) * np.exp(-at / fall) * end


def put(
    song: np.ndarray, at: float, sound: np.ndarray, level: float, to: float
) -> None:
    """Lay a sound into the song, between left (0) and right (1)."""
    begin = int(at * RATE)
    end = min(len(song), begin + len(sound))
    song[begin:end, 0] += level * np.cos(to * np.pi / 2) * sound[: end - begin]
    song[begin:end, 1] += level * np.sin(to * np.pi / 2) * sound[: end - begin]


def made() -> np.ndarray:
    """Returns the song, (n, 2)."""
    dice = np.random.default_rng(7)
    bars = sum(count for _, count, _ in SECTIONS)
    song = np.zeros((int((bars * BAR * BEAT + 3.0) * RATE), 2))
    kick = np.arange(int(0.2 * RATE)) / RATE
    kick = np.sin(2 * np.pi * (52 * kick + 2.0 * (1 - np.exp(-kick / 0.02))))
    kick = shaped(kick, 0.001, 0.07)
    snare = shaped(dice.standard_normal(int(0.2 * RATE)), 0.001, 0.05)
    hat = shaped(np.diff(dice.standard_normal(int(0.06 * RATE))), 0.001, 0.012)

    number = 0
    for name, count, plays in SECTIONS:
        chords = CHORUS if name == "chorus" else VERSE
        for bar in range(count):
            at = number * BAR * BEAT
            play_bar(song, at, chords[bar % 4], bar, plays, (kick, snare, hat))
            number += 1
    song *= 0.8 / np.abs(song).max()
    return song


def play_bar(
    song: np.ndarray,
    at: float,
    chord: tuple[int, ...],
    bar: int,
    plays: set[str],
    drums: tuple[np.ndarray, np.ndarray, np.ndarray],
) -> None:
    """One bar."""
    kick, snare, hat = drums
    if "pad" in plays:
        for n, step in enumerate(chord):
            pad = tone(step + 12, BAR * BEAT * 1.05, (1.0, 0.35, 0.18, 0.06))
            put(song, at, shaped(pad, 0.15, 4.0), 0.10, 0.2 + 0.3 * n)
    for beat in range(BAR):
        begin = at + beat * BEAT
        if "bass" in plays:
            bass = tone(chord[0] - 12, BEAT * 0.9, (1.0, 0.5, 0.1))
            put(song, begin, shaped(bass, 0.004, 0.4), 0.28 if beat == 0 else 0.2, 0.5)
        if "hat" in plays:
            for half in (0.0, 0.5):
                put(song, begin + half * BEAT, hat, 0.10 - 0.05 * half, 0.7)
        if "drums" in plays:
            put(
                song,
                begin,
                kick if beat % 2 == 0 else snare,
                0.5 - 0.3 * (beat % 2),
                0.5,
            )
        if "lead" in plays and (bar + beat) % 2 == 0:
            lead = tone(TUNE[(bar * 2 + beat) % 8] + 12, BEAT * 1.6, (1.0, 0.2, 0.3))
            put(song, begin, shaped(lead, 0.01, 0.5), 0.13, 0.35)


def main() -> int:
    """Write the song to where it is asked for."""
    import soundfile

    path = Path(sys.argv[1])
    song = made().astype(np.float32)
    with soundfile.SoundFile(path, "w", RATE, 2, format="OGG") as file:
        for begin in range(0, len(song), 4096):  # it takes no more at once
            file.write(song[begin : begin + 4096])
    print(path, path.stat().st_size)
    return 0


if __name__ == "__main__":
    sys.exit(main())
