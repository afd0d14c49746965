"""The shape of `replies.toml`: which reply a review gets. The texts themselves are in `copy/<locale>.toml`."""

from typing import Annotated

from pydantic import Field

from tavolan.project.schema import Name, Tag
from tavolan.project.table import Table
from tavolan.support.safe_names import Version

Stars = Annotated[int, Field(ge=1, le=5)]


class TemplateTable(Table):
    """`[template.<name>]`: when a reply is drafted from it; what's empty asks for nothing.

    `about` are phrases by locale, one of which the review must hold; those of a locale count for its whole language.
    `since` and `before` are versions of the app that the review is about. `texts` are names under `[replies]` of the
    copy files, else the template's own name; of several the one that was used least is taken.
    """

    stars: list[Stars] = []
    about: dict[Tag, list[Annotated[str, Field(min_length=1)]]] = {}
    stores: list[str] = []
    since: Version = ""
    before: Version = ""
    texts: list[Name] = []


class RepliesFile(Table):
    """The whole file. The first template whose conditions hold is taken. `values` are further variables."""

    values: dict[Annotated[str, Field(pattern=r"^[a-z][a-z0-9_]*$")], str] = {}
    template: dict[Name, TemplateTable] = {}
