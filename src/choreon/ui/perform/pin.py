"""The PIN by which guests are kept from the rest: stored as a salted scrypt hash, and
slow to be guessed.
"""

from __future__ import annotations

import hashlib
import hmac
import secrets

COST, BLOCK, LANES = 2**14, 8, 1  # scrypt: RFC 7914, section 2; 16 MB, some 50 ms
SALT = 16  # bytes
FREE = 3  # wrong tries before there is a wait
LONGEST = 300.0  # seconds


def kept(pin: str) -> str:
    """Returns what is stored of a PIN: salt and hash, as hexadecimal; empty for
    none.
    """
    if not pin:
        return ""
    salt = secrets.token_bytes(SALT)
    return f"{salt.hex()}:{_hash(pin, salt).hex()}"


def fits(pin: str, stored: str) -> bool:
    """Returns whether a PIN is the one that was stored. What was stored and is no hash
    fits nothing.
    """
    salt, colon, known = stored.partition(":")
    try:
        wanted, own = bytes.fromhex(known), bytes.fromhex(salt)
    except ValueError:
        return False
    if not (colon and wanted and own):
        return False
    return hmac.compare_digest(_hash(pin, own), wanted)


def _hash(pin: str, salt: bytes) -> bytes:
    return hashlib.scrypt(pin.encode(), salt=salt, n=COST, r=BLOCK, p=LANES)


class Tries:
    """How long whoever tries has to wait: nothing for a few, then twice as long each
    time. Times in monotonic seconds.
    """

    def __init__(self) -> None:
        self.wrong = 0
        self._until = 0.0

    def wait(self, now: float) -> float:
        """Returns the seconds until the next try is taken."""
        return max(0.0, self._until - now)

    def missed(self, now: float) -> None:
        """A PIN was wrong."""
        self.wrong += 1
        if self.wrong >= FREE:
            seconds = min(LONGEST, 2.0 ** min(20, self.wrong - FREE + 1))
            self._until = now + seconds

    def resume(self, now: float, seconds: float) -> None:
        """Go on with a wait of which so many seconds are left."""
        if self.wrong >= FREE:
            self._until = now + min(LONGEST, max(0.0, seconds))

    def passed(self) -> None:
        """It was right."""
        self.wrong, self._until = 0, 0.0
