"""The alternative icons inside an uploaded build: those that its property list names, and that have every scale."""

import io
import plistlib
import zipfile
from typing import Any

from tavolan.standins.console.limits import IconLimit

# An app's property list is small; what's larger isn't read.
_MOST_BYTES = 1_000_000


def icons_in(build: bytes, asked: IconLimit | None) -> list[str]:
    """Return the names of the icons; none where the build is no zip archive, or the store asks for none."""
    if asked is None or not zipfile.is_zipfile(io.BytesIO(build)):
        return []
    with zipfile.ZipFile(io.BytesIO(build)) as archive:
        files = {name.rpartition("/")[2] for name in archive.namelist()}
        declared: dict[str, list[str]] = {}
        for entry in archive.infolist():
            if entry.filename.endswith(".plist") and entry.file_size <= _MOST_BYTES:
                declared |= _declared(archive.read(entry), asked)
    return sorted(
        name
        for name, bases in declared.items()
        if bases and all(f"{base}{suffix}.png" in files for base in bases for suffix in asked.suffixes)
    )


def _declared(data: bytes, asked: IconLimit) -> dict[str, list[str]]:
    """Return name → base names of its files, as a property list has them; nothing where it's none."""
    try:
        found: Any = plistlib.loads(data)
    except Exception:  # The module documents one error, and raises whatever its parsers do.
        return {}
    for key in asked.declared_under:
        found = found.get(key) if isinstance(found, dict) else None
    entries = found.items() if isinstance(found, dict) else ()
    bases = {name: one.get(asked.declared_files) for name, one in entries if isinstance(one, dict)}
    return {name: [str(base) for base in several] for name, several in bases.items() if isinstance(several, list)}
