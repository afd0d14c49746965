"""Digests by which content is known again: twenty times as fast as those that keep secrets, and not for these."""

from pathlib import Path

import xxhash

from tavolan.support.files import read_blocks


def digest_of_content(data: bytes) -> str:
    """Return the digest of a file's bytes (XXH3, 128 bits, as hexadecimal digits)."""
    return xxhash.xxh3_128_hexdigest(data)


def digest_of_file(path: Path, shown: str) -> str:
    """Return the digest of a file's content, read block by block. Raises ProjectError when it can't be read."""
    digest = xxhash.xxh3_128()
    for block in read_blocks(path, shown):
        digest.update(block)
    return digest.hexdigest()
