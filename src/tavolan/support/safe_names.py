"""Names that become parts of paths: checked when they're read, so that none leads anywhere else."""

import re
from typing import Annotated

from pydantic import AfterValidator

from tavolan.errors import FaultError

_PART = re.compile(r"[A-Za-z0-9][A-Za-z0-9._-]{0,99}")
_VERSION = re.compile(r"[^\W_][\w.+() -]{0,99}")


def path_part(value: str) -> str:
    """Return a name that may be a folder or a file. Raises FaultError for any other."""
    if not _PART.fullmatch(value):
        remedy = "Use letters, digits, hyphens, underscores and points, at most 100."
        raise FaultError(f'"{value[:40]}" can\'t name a folder', remedy)
    return value


def version_name(value: str) -> str:
    """Return a version that may be part of a file's name, or an empty text. Raises FaultError for any other."""
    if value and not _VERSION.fullmatch(value):
        raise FaultError(f'"{value[:40]}" can\'t be a version', 'Write it as in "2.4" or "2.4.0-beta.1".')
    return value


def project_file(value: str) -> str:
    """Return the name of a file of the project, as art/icon.png, or an empty text. Raises FaultError for others."""
    if value.startswith(("/", "~")) or ".." in value.split("/") or set(value) & set("\\:\0"):
        raise FaultError(
            f'"{value[:60]}" leads outside the project', "Copy the file into art/, and name it from there."
        )
    return value


PathPart = Annotated[str, AfterValidator(path_part)]
Version = Annotated[str, AfterValidator(version_name)]
ProjectFile = Annotated[str, AfterValidator(project_file)]
