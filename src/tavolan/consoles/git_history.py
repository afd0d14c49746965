"""Fill the journal for the time before the first hand-over, from the commits that changed the copy."""

from collections.abc import Iterator
from pathlib import PurePosixPath
from typing import Any

from tavolan.consoles.content import text_fields
from tavolan.project.copy_history import Commit, CopyHistory
from tavolan.project.journal import Line, add_lines, line_of, read_journal, shown
from tavolan.project.model import Project
from tavolan.support.transaction import changing


def fill_journal(project: Project) -> int:
    """Add the changes that commits brought before each store's first line; return how many. Again, it adds nothing."""
    there = read_journal(project.root)
    own = [line for line in there if line.who in ("project", "console")]
    first = {store: min((x.date for x in own if x.store == store), default="") for store in project.stores}
    known = {(line.date, line.store, line.locale, line.field) for line in there}
    history = CopyHistory(project.root)
    try:
        found = [line for commit in reversed(history.commits) for line in _lines(project, history, commit)]
    finally:
        history.close()
    added = [
        line
        for line in found
        if (not first[line.store] or line.date < first[line.store])
        and (line.date, line.store, line.locale, line.field) not in known
    ]
    if added:
        with changing(project.root):
            add_lines(project.root, added)
    return len(added)


def _lines(project: Project, history: CopyHistory, commit: Commit) -> Iterator[Line]:
    """Yield a line per store and text that a commit changed, with its subject as the reason."""
    for name, (before, after) in commit.changes.items():
        tag = PurePosixPath(name).stem
        old, new = history.document(before), history.document(after)
        for store in project.stores.values():
            for key in text_fields(project, store) if tag in store.locales else ():
                was, is_now = (_text(data, store.id, key) for data in (old, new))
                if shown(was) != shown(is_now):
                    note = f"{commit.short} {commit.subject}"
                    yield line_of(store.id, tag, key, "", was, is_now, "git", note, commit.date)


def _text(data: dict[str, Any], store: str, key: str) -> Any:
    own = data.get(store)
    return own[key] if isinstance(own, dict) and key in own else data.get(key)
