"""The codes of a second factor, written down from the standards."""

import base64
import hashlib
import hmac
import struct
import time
from urllib.parse import parse_qs, urlsplit


def code_of(address: str, at: float | None = None) -> str:
    """The code that a device shows for an otpauth address: RFC 6238 with HMAC-SHA-1, six digits, steps of 30 s; truncation of RFC 4226, 5.3."""
    secret = parse_qs(urlsplit(address).query)["secret"][0]
    key = base64.b32decode(secret + "=" * (-len(secret) % 8))
    digest = hmac.new(key, struct.pack(">Q", int((time.time() if at is None else at) // 30)), hashlib.sha1).digest()
    offset = digest[-1] & 15
    return f"{(struct.unpack('>I', digest[offset : offset + 4])[0] & 0x7FFFFFFF) % 10**6:06d}"
