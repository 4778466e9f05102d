"""Two computers get to know each other by four digits that one shows and the other's person types.

The digits are never sent: SPAKE2 makes a key of them, and both prove that they have the same one over both
certificates, so whoever stands between them, or guesses, has one guess an attempt.
"""

import hashlib
import hmac
import secrets
import time
from typing import Literal

from spake2 import SPAKE2_A, SPAKE2_B, SPAKEError
from spake2.ed25519_basic import NotOnCurve

from ...core.errors import BruckeError

DIGITS, TRIES, LASTS_S = 4, 3, 60.0
Role = Literal["types", "shows"]


class AgreementError(BruckeError, ValueError):
    """The other side has another code, or is somebody else."""

    code = "agreement"


class Agreement:
    """One attempt. `message` goes to the other side; then `proof` of its message; then `check` its proof."""

    def __init__(self, role: Role, code: str, certificate: bytes):
        self.role, self._certificate = role, certificate
        self._spake = (SPAKE2_A if role == "types" else SPAKE2_B)(code.encode())
        self.message: bytes = self._spake.start()
        self._theirs = b""

    def proof(self, message: bytes, certificate: bytes) -> bytes:
        """32 bytes that show that we have the key, of the other side's message and certificate. Errors: AgreementError
        for what is no such message."""
        try:
            key = self._spake.finish(message)
        except (SPAKEError, NotOnCurve, ValueError, AssertionError) as e:
            raise AgreementError("no message of an agreement") from e
        pair = (self._certificate, certificate) if self.role == "types" else (certificate, self._certificate)
        bound = b"".join(hashlib.sha256(c).digest() for c in pair)
        other: Role = "shows" if self.role == "types" else "types"
        self._theirs = hmac.digest(key, other.encode() + bound, "sha256")
        return hmac.digest(key, self.role.encode() + bound, "sha256")

    def check(self, proof: bytes) -> None:
        """Errors: AgreementError where the other side has another code."""
        if not self._theirs or not hmac.compare_digest(self._theirs, proof):
            raise AgreementError("another code")


class ShownCode:
    """The digits that stand on a screen: for a minute, and for three tries."""

    def __init__(self, now: float | None = None) -> None:
        self.digits = f"{secrets.randbelow(10**DIGITS):0{DIGITS}}"
        self._until = (time.monotonic() if now is None else now) + LASTS_S
        self.tries = 0

    def why_over(self, now: float) -> Literal["", "late", "tries"]:
        """Why it counts no more; “” while it does."""
        return "late" if now > self._until else "tries" if self.tries >= TRIES else ""
