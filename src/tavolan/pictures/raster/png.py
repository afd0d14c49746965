"""Write finished pictures as PNG, and read back fast what was written so (PNG specification, ISO/IEC 15948)."""

import struct
import zlib
from collections.abc import Iterator
from functools import cache
from typing import Any

import deflate
import numpy as np
from zlib_ng import zlib_ng

from tavolan.pictures.raster.canvas import Pixels

_SIGNATURE = b"\x89PNG\r\n\x1a\n"
_FILTER_NONE, _FILTER_UP, _COLOUR_RGB = 0, 2, 2
# Deflate with a window of 32 KB, packed quickly.
_ZLIB_HEADER = b"\x78\x01"
# For what's read again: drawn with the sample, kept in a project, or held to a store's limit.
LIGHT, TIGHT, TIGHTEST = 1, 6, 9
# Rows of a picture that are filtered and packed at a time: they stay in the processor's cache.
_BAND = 64
# How a band is packed by zlib-ng, by the share of its bytes that are other than zero: below each share at the level and
# with the strategy beside it. Where next to nothing happens, runs alone take fewer bytes than all else. A packer for
# dense bands that's three times as fast (ISA-L) saved 7 % of the whole command, and its bytes weren't always the same.
_Way = tuple[int, int]
_DENSE: _Way = (2, zlib_ng.Z_DEFAULT_STRATEGY)
_UP_TO: tuple[tuple[float, _Way], ...] = (
    (0.02, (3, zlib_ng.Z_RLE)),
    (0.07, (2, zlib_ng.Z_DEFAULT_STRATEGY)),
    (0.12, (3, zlib_ng.Z_DEFAULT_STRATEGY)),
)


def write(pixels: Pixels, tight: int = 0) -> bytes:
    """Return BGRA pixels as a PNG file: RGB, 8 bit, no alpha, marked as sRGB; the same bytes every time on one machine.

    Quickly packed, or `tight`: LIGHT, TIGHT or TIGHTEST.
    """
    pixels = np.ascontiguousarray(pixels)
    height, width = pixels.shape[:2]
    header = struct.pack(">IIBBBBB", width, height, 8, _COLOUR_RGB, 0, 0, 0)
    packed = _packed_tight(pixels, tight) if tight else _packed_quickly(pixels)
    parts = ((b"IHDR", header), (b"sRGB", b"\0"), (b"IDAT", packed), (b"IEND", b""))
    return _SIGNATURE + b"".join(_chunk(kind, data) for kind, data in parts)


def _packed_quickly(pixels: Pixels) -> bytes:
    """Return rows with the filter Up (each byte less the one above, PNG specification 9.2) as a zlib stream (RFC 1950).

    All packers write parts of one deflate stream: a part ends at a whole byte, and none looks back behind its start.
    """
    packed, checksum = [_ZLIB_HEADER], 1
    # Each is taken up again after others.
    packer_of = cache(_packer)
    packer: Any = None
    for rows in filtered_up(pixels):
        data = rows.reshape(-1).data
        checksum = zlib_ng.adler32(data, checksum)
        share = np.count_nonzero(rows) / rows.size
        way = next((way for most, way in _UP_TO if share < most), _DENSE)
        before, packer = packer, packer_of(way)
        if before and before is not packer:
            packed.append(before.flush(zlib.Z_FULL_FLUSH))
        packed.append(packer.compress(data))
    return b"".join((*packed, packer.flush(zlib.Z_FINISH), checksum.to_bytes(4)))


def _packer(way: _Way) -> Any:
    level, strategy = way
    # With the most memory: tables of codes for longer parts, a tenth of the time less, 0.2 % more bytes.
    return zlib_ng.compressobj(level, zlib_ng.DEFLATED, -zlib.MAX_WBITS, 9, strategy)


def _packed_tight(pixels: Pixels, level: int) -> bytes:
    """Return rows as they are, which are read fastest, as a zlib stream; at TIGHTEST, filtered where that's smaller."""
    if level == LIGHT:
        return zlib_ng.compress(_rows(pixels, up=False).reshape(-1).data, 1)
    ways = (False, True) if level == TIGHTEST else (False,)
    return min((bytes(deflate.zlib_compress(_rows(pixels, up).reshape(-1).data, level)) for up in ways), key=len)


def _rows(pixels: Pixels, up: bool) -> Pixels:
    if up:
        return np.concatenate([rows.copy() for rows in filtered_up(pixels)])
    height, width = pixels.shape[:2]
    rows = np.full((height, 1 + 3 * width), _FILTER_NONE, np.uint8)
    lay_rgb(pixels, rows)
    return rows


def _chunk(kind: bytes, data: bytes) -> bytes:
    return struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib_ng.crc32(data, zlib.crc32(kind)))


def filtered_up(pixels: Pixels) -> Iterator[Pixels]:
    """Yield bands of the rows of a PNG: a byte that names the filter, then red, green and blue less those above.

    A band's memory is used again for the next one.
    """
    height, width = pixels.shape[:2]
    size = 1 + 3 * width
    less, rows = np.empty((_BAND, width, 4), np.uint8), np.full((_BAND, size), _FILTER_UP, np.uint8)
    less[0] = pixels[0]
    for top in range(0, height, _BAND):
        count = min(_BAND, height - top)
        # What's above the first row counts as zero.
        first = 0 if top else 1
        np.subtract(pixels[top + first : top + count], pixels[top + first - 1 : top + count - 1], out=less[first:count])
        lay_rgb(less[:count], rows[:count])
        yield rows[:count]


def lay_rgb(pixels: Pixels, rows: Pixels) -> None:
    """Write BGRA pixels as red, green and blue into rows, behind the byte that names the filter.

    A pixel is copied as one 32-bit word with its bytes turned around: read from one byte before it, so that what is
    left over falls behind the colours, where the next pixel goes over it. A third of the time of byte after byte.
    """
    count, width = pixels.shape[:2]
    if width > 2:
        down, across = pixels.strides[0], 4
        source = np.ndarray((count, width - 2), "<u4", pixels, 3, (down, across))
        np.ndarray((count, width - 2), ">u4", rows, 4, (rows.strides[0], 3))[...] = source
    # The first has nothing before it, and nothing comes after the last.
    rows[:, 1:4] = pixels[:, 0, 2::-1]
    rows[:, -3:] = pixels[:, -1, 2::-1]


def read_rows(data: bytes, most_pixels: int) -> Pixels | None:
    """Return the rows of a PNG file of the plain kind that `write` makes, else None.

    RGB, 8 bit, one part, only the row filters None and Up, and undamaged: four times as fast as libvips. A row is one
    byte without a meaning, then red, green and blue of each pixel: nothing is copied.
    """
    if data[:8] != _SIGNATURE or data[12:16] != b"IHDR" or data[37:41] != b"sRGB" or data[50:54] != b"IDAT":
        return None
    width, height, bits, colour, *others = struct.unpack(">IIBBBBB", data[16:29])
    end = 54 + struct.unpack(">I", data[46:50])[0]
    plain = (bits, colour, *others) == (8, _COLOUR_RGB, 0, 0, 0) and data[end + 8 : end + 12] == b"IEND"
    part = memoryview(data)
    if not plain or width * height > most_pixels or zlib_ng.crc32(part[50:end]).to_bytes(4) != part[end : end + 4]:
        return None
    size = height * (1 + width * 3)
    try:
        rows: Pixels = np.frombuffer(deflate.zlib_decompress(part[54:end], size), np.uint8)
    except deflate.DeflateError:
        return None
    if rows.size != size:
        return None
    rows = rows.reshape(height, 1 + width * 3)
    kinds = rows[:, 0]
    if not ((kinds == _FILTER_NONE) | (kinds == _FILTER_UP)).all():
        return None
    # What's above the first row counts as zero.
    for y in (np.flatnonzero(kinds[1:] == _FILTER_UP) + 1).tolist():
        np.add(rows[y, 1:], rows[y - 1, 1:], out=rows[y, 1:])
    return rows
