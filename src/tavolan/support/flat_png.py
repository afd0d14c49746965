"""A picture of one colour as a PNG, made without a picture library: for trying out what takes pictures."""

import struct
import zlib


def flat_png(width: int, height: int, colour: tuple[int, int, int]) -> bytes:
    """Return a PNG (8 bits a channel, no transparency); the sides in pixels."""
    row = b"\0" + bytes(colour) * width
    header = struct.pack(">IIBBBBB", width, height, 8, 2, 0, 0, 0)
    chunks = ((b"IHDR", header), (b"IDAT", zlib.compress(row * height)), (b"IEND", b""))
    return b"\x89PNG\r\n\x1a\n" + b"".join(_chunk(kind, data) for kind, data in chunks)


def _chunk(kind: bytes, data: bytes) -> bytes:
    return struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(kind + data))
