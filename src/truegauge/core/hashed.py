"""Keys of content whose hash is worked out once."""

from __future__ import annotations

from collections.abc import Hashable


class Hashed:
    """Content as a key; equal to any other with the same content."""

    __slots__ = ("_hash", "content")

    def __init__(self, content: Hashable) -> None:
        self.content = content
        self._hash = hash(content)

    def __hash__(self) -> int:
        return self._hash

    def __eq__(self, other: object) -> bool:
        return self is other or (
            isinstance(other, Hashed) and self._hash == other._hash and self.content == other.content
        )
