"""What a picture file says of itself in its header: read without a picture library, so that checks stay quick.

PNG after the W3C recommendation (third edition), JPEG after ITU-T T.81 with Exif and ICC segments.
"""

import os
import struct
import zlib
from dataclasses import dataclass
from pathlib import Path
from typing import BinaryIO

from tavolan.errors import ProjectError
from tavolan.support.files import opened

_PNG = b"\x89PNG\r\n\x1a\n"
_READ = (b"IHDR", b"sRGB", b"iCCP", b"acTL", b"eXIf")
_MOST = 1 << 22
_JPEG_HEAD = 1 << 20
_NO_FRAME = (0xC4, 0xC8, 0xCC)


@dataclass(frozen=True)
class ImageFacts:
    """Format, size in pixels, bits per channel, channels by name, and what else matters to a store."""

    format: str
    width: int
    height: int
    bits: int
    channels: str
    alpha: bool
    frames: int
    turned: int
    profile: str
    complete: bool


def image_facts(path: Path) -> ImageFacts | None:
    """Return what a PNG or JPEG file says of itself, or None when it's neither, or can't be read."""
    # Opening a pipe would wait for a writer.
    if not path.is_file():
        return None
    try:
        facts = _facts(path)
    except (ProjectError, OSError, struct.error, ValueError):
        return None
    return facts if facts and facts.width and facts.height else None


def _facts(path: Path) -> ImageFacts | None:
    with opened(path, path.name) as file:
        head = file.read(8)
        if head == _PNG:
            return _png_facts(file, path.stat().st_size)
        if head[:3] == b"\xff\xd8\xff":
            return _jpeg_facts(head + file.read(_JPEG_HEAD), _last_bytes(file))
    return None


def _last_bytes(file: BinaryIO) -> bytes:
    file.seek(0, os.SEEK_END)
    file.seek(max(0, file.tell() - 64))
    return file.read()


def _png_facts(file: BinaryIO, size: int) -> ImageFacts | None:
    """Read all chunks but the pixels, which are skipped."""
    at, frames, profile, turned = 8, 1, "", 1
    kinds: list[bytes] = []
    header: tuple[int, ...] = ()
    while len(start := file.read(8)) == 8:
        length, kind = struct.unpack(">I4s", start)
        body = file.read(min(length, _MOST)) if kind in _READ else b""
        file.seek(at + 12 + length)
        if kind == b"IHDR" and length == 13:
            header = struct.unpack(">IIBBBBB", body)
        elif kind == b"sRGB":
            profile = "sRGB"
        elif kind == b"iCCP":
            profile = _profile_name(body)
        elif kind == b"acTL" and length >= 4:
            frames = struct.unpack(">I", body[:4])[0]
        elif kind == b"eXIf":
            turned = _orientation(body)
        kinds.append(kind)
        at += 12 + length
    if not header:
        return None
    width, height, bits, colour, *_ = header
    names = {0: "grey", 2: "RGB", 3: "palette", 4: "grey", 6: "RGB"}
    alpha = colour in (4, 6) or b"tRNS" in kinds
    complete = kinds[-1:] == [b"IEND"] and at <= size
    return ImageFacts("png", width, height, bits, names.get(colour, "?"), alpha, frames, turned, profile, complete)


def _profile_name(body: bytes) -> str:
    name, _, rest = body.partition(b"\0")
    try:
        text = zlib.decompressobj().decompress(rest[1:], 1 << 20)
    except zlib.error:
        return name.decode("latin-1")
    return "sRGB" if b"sRGB" in text or b"sRGB" in name else name.decode("latin-1") or "unnamed"


def _jpeg_facts(data: bytes, end: bytes) -> ImageFacts | None:
    at, turned, profile = 2, 1, ""
    while at + 4 <= len(data) and data[at] == 0xFF:
        marker = data[at + 1]
        if marker == 0xFF:
            at += 1
            continue
        length = struct.unpack(">H", data[at + 2 : at + 4])[0]
        body = data[at + 4 : at + 2 + length]
        if marker == 0xE1 and body[:6] == b"Exif\0\0":
            turned = _orientation(body[6:])
        elif marker == 0xE2 and body[:12] == b"ICC_PROFILE\0":
            profile = "sRGB" if b"sRGB" in body or b"s\0R\0G\0B" in body else "other"
        elif 0xC0 <= marker <= 0xCF and marker not in _NO_FRAME and len(body) >= 6:
            bits, height, width, count = struct.unpack(">BHHB", body[:6])
            names = {1: "grey", 3: "RGB", 4: "CMYK"}
            whole = end.rstrip(b"\0")[-2:] == b"\xff\xd9"
            return ImageFacts(
                "jpeg", width, height, bits, names.get(count, "?"), False, 1, turned, profile or "sRGB", whole
            )
        at += 2 + length
    return None


def _orientation(exif: bytes) -> int:
    """Return the Exif orientation, 1 to 8; 1 when it's missing or damaged."""
    order = {b"II": "<", b"MM": ">"}.get(exif[:2])
    if not order:
        return 1
    try:
        start = struct.unpack(order + "I", exif[4:8])[0]
        count = struct.unpack(order + "H", exif[start : start + 2])[0]
        for index in range(count):
            entry = exif[start + 2 + index * 12 : start + 14 + index * 12]
            tag, _, _, value = struct.unpack(order + "HHIH2x", entry)
            if tag == 0x0112:
                return value if 1 <= value <= 8 else 1
    except struct.error:
        return 1
    return 1
