"""Which source text each translation was made from: `copy/state.csv` says it, else the history in git.

A text that came in by hand, or was changed by hand since it was remembered, has no valid line in `state.csv`. Where the
project is in git, it was made from the source as it was in the commit that brought it; one that isn't committed yet,
from the source as it is now. All else isn't known until it's adopted.
"""

from collections.abc import Iterator

from tavolan.project.copy_history import NOTHING, CopyHistory
from tavolan.project.model import Project
from tavolan.project.state import State, StateEntry, digest
from tavolan.project.texts import Texts


def find_origins(project: Project) -> State:
    """Return what's known of every translation: lines of `state.csv` that still hold, then what git knows."""
    texts = Texts(project)
    known: State = {}
    unknown: dict[str, list[str]] = {}
    for locale, address in texts.translations():
        entry = project.state.get((locale, address))
        if entry and entry.text in ("", digest(texts.get(locale, address))):
            known[locale, address] = entry
        else:
            unknown.setdefault(locale, []).append(address)
    if unknown and any((folder / ".git").exists() for folder in (project.root, *project.root.parents)):
        known |= _from_git(texts, unknown)
    return known


def unknown_origins(project: Project) -> dict[str, list[str]]:
    """Return the translations of which nobody knows what they were made from: addresses by locale."""
    found: dict[str, list[str]] = {}
    for locale, address in Texts(project).translations():
        if (locale, address) not in project.origins:
            found.setdefault(locale, []).append(address)
    return found


def _from_git(texts: Texts, wanted: dict[str, list[str]]) -> State:
    history = CopyHistory(texts.project.root)
    found: State = {}
    source = texts.project.source_locale
    try:
        for locale, addresses in wanted.items():
            left = {address: texts.get(locale, address) for address in addresses}
            for address, original in _sources(history, texts, locale, left):
                made_from = texts.get(source, address) if original is None else original
                if made_from:
                    found[locale, address] = StateEntry(digest(made_from), "translated", digest(left[address]))
    finally:
        history.close()
    return found


def _sources(
    history: CopyHistory, texts: Texts, locale: str, wanted: dict[str, str]
) -> Iterator[tuple[str, str | None]]:
    """Yield address and source text of the translations whose commit is found; None: the source as it is now."""
    project = texts.project
    name, source_name = f"copy/{locale}.toml", f"copy/{project.source_locale}.toml"
    if name not in history.heads:
        return
    head = history.document(history.heads[name])
    left = {address for address, text in wanted.items() if texts.text_in(head, address) == text}
    yield from ((address, None) for address in wanted if address not in left)
    source = history.heads.get(source_name, NOTHING)
    for changes in (commit.changes for commit in history.commits):
        if not left:
            return
        if name in changes:
            before = history.document(changes[name][0])
            original = history.document(source)
            for address in sorted(left):
                if texts.text_in(before, address) != wanted[address]:
                    left.discard(address)
                    yield address, texts.text_in(original, address)
        if source_name in changes:
            source = changes[source_name][0]
