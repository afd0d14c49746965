"""Addresses of texts: `title`, `android.title` for one store, `captions.home`, `replies.thanks`, `items.pro.name`."""

from dataclasses import dataclass
from functools import lru_cache

CAPTIONS = "captions"
# Of titles in the preview video.
TITLES = "titles"
# Tables of a copy file whose texts may have emphasised words.
MARKED_TABLES = (CAPTIONS, TITLES)
# Tables whose texts are in pictures or in the video.
PICTURE_TABLES = (*MARKED_TABLES, "showcase")
# Of replies to reviews.
REPLIES = "replies"
# Tables of texts under names of the project's own, which are no fields of a rulebook.
NAMED_TABLES = (*PICTURE_TABLES, REPLIES)


@dataclass(frozen=True)
class Address:
    """Where a text is in a copy file: `path` has the keys of its tables and its own."""

    path: tuple[str, ...]

    def __str__(self) -> str:
        return ".".join(self.path)

    @property
    def table(self) -> str:
        """`captions`, `titles`, `showcase`, `replies` or `items` for a text in such a table, else empty."""
        return self.path[0] if len(self.path) > 1 and self.path[0] in (*NAMED_TABLES, "items") else ""

    @property
    def in_picture(self) -> bool:
        """Whether it's a text of pictures or of the video, which no rulebook knows."""
        return self.table in PICTURE_TABLES

    @property
    def store(self) -> str:
        """The store that alone gets the text, else empty."""
        return self.path[0] if len(self.path) == 2 and not self.table else ""

    @property
    def item(self) -> str:
        """The in-app item that the text describes, else empty."""
        return self.path[1] if self.table == "items" else ""

    @property
    def key(self) -> str:
        """The field's id, the key of the caption or title, or the name of the showcase value or of the reply."""
        return self.path[-1]


@lru_cache(maxsize=4096)
def parse_address(text: str) -> Address:
    """Return an address as written. Whether there's such a field depends on the project: `Texts.key` says it."""
    return Address(tuple(text.split(".")))
