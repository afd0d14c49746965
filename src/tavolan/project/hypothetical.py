"""A project as it would be with other texts, without a file being written."""

from collections.abc import Iterable
from copy import deepcopy
from dataclasses import replace
from typing import Any

from tavolan.project.model import Project
from tavolan.project.texts import TextChange, Texts


def with_texts(project: Project, changes: Iterable[TextChange]) -> Project:
    """Return a project as it would be once changes of texts are written."""
    texts = Texts(project)
    data: dict[str, dict[str, Any]] = {}
    for change in changes:
        own = data.setdefault(change.locale, deepcopy(project.copy[change.locale].data))
        *tables, last = texts.key(change.address)
        for table in tables:
            own = own.setdefault(table, {})
        own[last] = texts.parse(change.address, change.after)
    copies = {tag: replace(copy, data=data.get(tag, copy.data)) for tag, copy in project.copy.items()}
    parents = {tag: copies[copy.parent.locale] if copy.parent else None for tag, copy in copies.items()}
    return replace(project, copy={tag: replace(copy, parent=parents[tag]) for tag, copy in copies.items()})
