"""Write texts into copy files, and remember what each translation was made from: as one change."""

from collections.abc import Iterable
from typing import Literal

from tavolan.errors import Problem, ProjectError
from tavolan.project.approvals import lock_of, unlock_remedy
from tavolan.project.memory import Pair, remember
from tavolan.project.state import State, StateEntry, TranslationState, digest, read_state, write_state
from tavolan.project.texts import TextChange, Texts
from tavolan.project.toml_edit import TomlEditor
from tavolan.support.transaction import changing
from tavolan.support.xmlfile import bad_character

# What is remembered of a text's origin; `as before` keeps a draft one.
Work = TranslationState | Literal["as before"]


class TextWriter:
    """Writes texts of a project as it was read. Each of its writes builds on the one before."""

    def __init__(self, texts: Texts) -> None:
        self.texts, self.project = texts, texts.project
        self._last: State | None = None

    def write(self, changes: Iterable[TextChange], work: Work = "translated") -> None:
        """Write changes into the copy files; remember what was translated from what, and by whom: as one change.

        `as before` is for what a command rewrites: a draft that nobody has read stays one.
        Raises ProjectError, and writes nothing, for a text with a control character, or one that's locked.
        """
        changes = list(changes)
        problems = [
            Problem(f"copy/{change.locale}.toml", None, change.address, f"would hold {character}", "Take it out.")
            for change in changes
            if (character := bad_character(change.after))
        ]
        for change in changes:
            if change.after != change.before and (lock := lock_of(self.texts, change.locale, change.address)):
                remedy = unlock_remedy(change.locale, change.address)
                problems.append(Problem(f"copy/{change.locale}.toml", None, change.address, lock, remedy))
        if problems:
            raise ProjectError(problems)
        with changing(self.project.root):
            self._write(changes, work)

    def write_alternates(self, locale: str, address: str, candidates: list[str]) -> None:
        """Write the further candidates of a field."""
        with changing(self.project.root):
            editor = TomlEditor(self.project.root / "copy" / f"{locale}.toml", f"copy/{locale}.toml")
            editor.set(("alternates", address), candidates)
            editor.save()

    def _write(self, changes: list[TextChange], work: Work) -> None:
        known = self.project.state if self._last is None else self._last
        problems: list[Problem] = []
        now = read_state(self.project.root, problems)
        if problems:
            raise ProjectError(problems)
        # Another run may have written since the project was read.
        meanwhile = {key: entry for key, entry in now.items() if known.get(key) != entry}
        state = {**(adopted(self.texts) if self._last is None else known), **meanwhile}
        editors: dict[str, TomlEditor] = {}
        for change in changes:
            if change.locale not in editors:
                shown = f"copy/{change.locale}.toml"
                editors[change.locale] = TomlEditor(self.project.root / shown, shown)
            editor, key = editors[change.locale], self.texts.key(change.address)
            if change.after:
                editor.set(key, self.texts.parse(change.address, change.after))
            else:
                editor.remove(key)
        sources = {change.address: change.after for change in changes if change.locale == self.project.source_locale}
        self._keep_earlier(changes, state)
        for change in changes:
            self._remember(state, change, sources, self._work_of(state, change) if work == "as before" else work)
        for editor in editors.values():
            editor.save()
        if state != known:
            write_state(self.project.root, state)
        self._last = state

    def _keep_earlier(self, changes: list[TextChange], state: State) -> None:
        """Keep in the memory what a changed source said, with the translations made from it: they may fit again."""
        source = self.project.source_locale
        pairs = [
            Pair(source, tag, change.before, target, change.address)
            for change in changes
            if change.locale == source and change.before.strip() and change.before != change.after
            for tag in self.project.copy
            if tag != source and (target := self.texts.get(tag, change.address)).strip()
            if (entry := state.get((tag, change.address))) and entry.source == digest(change.before)
        ]
        if pairs:
            remember(self.project.root, pairs, source)

    def _work_of(self, state: State, change: TextChange) -> TranslationState:
        """Return the work that a rewritten text is: a draft's stays a draft."""
        entry = state.get((change.locale, change.address))
        drafted = entry and entry.work == "drafted" and entry.text == digest(change.before)
        return "drafted" if drafted else "translated"

    def _remember(self, state: State, change: TextChange, sources: dict[str, str], work: TranslationState) -> None:
        source = self.project.source_locale
        if change.locale == source:
            return
        original = sources.get(change.address, self.texts.get(source, change.address))
        if change.after and original:
            state[change.locale, change.address] = StateEntry(digest(original), work, digest(change.after))
        else:
            state.pop((change.locale, change.address), None)


def adopted(texts: Texts) -> State:
    """Return the state with every translation in it; one of unknown origin counts as made from the present source.

    Whoever wrote it by hand had that source before their eyes, as far as anybody can know.
    """
    project = texts.project
    state = {**project.state, **project.origins}
    for locale, address in texts.translations():
        if (locale, address) not in project.origins:
            original, target = texts.get(project.source_locale, address), texts.get(locale, address)
            state[locale, address] = StateEntry(digest(original), "translated", digest(target))
    return state
