"""What is retouched on a screen, as data."""

from dataclasses import dataclass

from tavolan.pictures.design.look import Shares


@dataclass(frozen=True)
class RetouchStep:
    """One retouch of a screen, its text already in the screen's language. See `Retouch` for the meaning.

    `name` is the key of its text under `[showcase]`.
    """

    region: Shares
    kind: str
    text: str = ""
    locale: str = ""
    align: str = "start"
    weight: int = 500
    size: float = 1.0
    ink: str = ""
    ground: str = ""
    file: str = ""
    digest: str = ""
    name: str = ""
