"""Passwords that a class is given: made by us, easy to type from a slip of paper, and kept as hashes."""

from __future__ import annotations

import hashlib
import hmac
import secrets

from msgspec import Struct

INSTRUCTOR = "instructor"
"""The name with which the instructor signs in; no learner's id."""

_LETTERS = "abcdefghjkmnpqrstuvwxyz23456789"  # without those that look alike
_GROUPS, _GROUP = 3, 4
_COST = {"n": 1 << 12, "r": 8, "p": 1, "dklen": 32}


class HashedPassword(Struct, frozen=True):
    """A password as it is kept: scrypt's hash of it with a salt (RFC 7914). It has 59 bits of chance, so a
    cost of some ten milliseconds is beyond guessing."""

    salt: bytes
    hash: bytes


class GivenPassword(Struct, frozen=True):
    """Somebody's password in the clear, as it is handed to them."""

    id: str
    name: str
    password: str


def new_password() -> str:
    """A new one, as in `k7mw-3hxt-9pqr`."""
    groups = ("".join(secrets.choice(_LETTERS) for _ in range(_GROUP)) for _ in range(_GROUPS))
    return "-".join(groups)


def hashed(password: str) -> HashedPassword:
    """What is kept of a password."""
    salt = secrets.token_bytes(16)
    return HashedPassword(salt, _hash(password, salt))


def matches(password: str, kept: HashedPassword) -> bool:
    """Whether this is the password, in a time that tells nothing; capitals, spaces and hyphens don't
    matter."""
    return hmac.compare_digest(_hash(password, kept.salt), kept.hash)


def _hash(password: str, salt: bytes) -> bytes:
    plain = password.lower().replace("-", "").replace(" ", "")[:1000]
    return hashlib.scrypt(plain.encode("utf-8", "replace"), salt=salt, **_COST)
