"""The passphrase of the bench, kept as an Argon2id hash (RFC 9106, the second recommended option)."""

from functools import cache

from argon2 import PasswordHasher
from argon2.exceptions import InvalidHashError, VerificationError
from argon2.profiles import RFC_9106_LOW_MEMORY

from deft_bench.store import access
from deft_bench.store.database import Connection

LEAST_CHARACTERS, MOST_CHARACTERS = 10, 200


@cache
def _hasher() -> PasswordHasher:
    return PasswordHasher.from_parameters(RFC_9106_LOW_MEMORY)


def set_passphrase(db: Connection, typed: str, at: str) -> None:
    """Set the passphrase; whoever was in is sent out. Raises ValueError in words where it is too short or too long."""
    if not LEAST_CHARACTERS <= len(typed.strip()) <= MOST_CHARACTERS:
        raise ValueError(
            f"A passphrase has {LEAST_CHARACTERS} to {MOST_CHARACTERS} characters: some words in a row do."
        )
    access.set_passphrase_hash(db, _hasher().hash(typed.strip()), at)


def is_passphrase(db: Connection, typed: str) -> bool:
    """Whether what was typed is the passphrase."""
    found = access.passphrase_hash(db)
    try:
        return found is not None and len(typed) <= MOST_CHARACTERS and _hasher().verify(found, typed.strip())
    except (VerificationError, InvalidHashError):
        return False
