"""Draft release notes into a project."""

from dataclasses import dataclass
from pathlib import Path

from tavolan.errors import UsageError
from tavolan.notes.changes import Bullet, Dropped, bullets
from tavolan.notes.gitlog import commits_since
from tavolan.notes.limit_fitting import Fitted, fit_bullets
from tavolan.project.model import Project
from tavolan.project.state import StateEntry, digest, write_state
from tavolan.project.text_writing import adopted
from tavolan.project.texts import Texts
from tavolan.project.toml_edit import TomlEditor
from tavolan.project.translation_progress import is_drafted
from tavolan.support.files import write_inside
from tavolan.support.transaction import changing


@dataclass(frozen=True)
class DraftedNotes:
    """A draft: its bullets, what was left out, the text per store, and per store what it had no room for."""

    bullets: list[Bullet]
    dropped: list[Dropped]
    fitted: dict[str, Fitted]

    @property
    def too_long(self) -> dict[str, tuple[str, ...]]:
        """Per store the lines that didn't fit."""
        return {store: fitted.dropped for store, fitted in self.fitted.items() if fitted.dropped}


def draft_notes(project: Project, since: str, until: str = "HEAD", repository: Path | None = None) -> DraftedNotes:
    """Return a draft from the repository's commits. Raises UsageError or OutsideError."""
    folder = repository or (project.root / project.app.repository if project.app.repository else None)
    if folder is None:
        raise UsageError('where is the app\'s repository? Set repository = "../app" in [app], or give --repository.')
    found, dropped = bullets(commits_since(folder, since, until))
    fitted = {}
    for store in project.stores.values():
        if key := store.rulebook.field_with("notes"):
            fitted[store.id] = fit_bullets(found, store.rulebook.fields[key])
    if not fitted:
        raise UsageError("no store of this project takes release notes. tavolan rules show lists what it takes.")
    return DraftedNotes(found, dropped, fitted)


def write_draft(project: Project, drafted: DraftedNotes, replace: bool = False) -> list[str]:
    """Write a draft into the source locale, marked as one; a shorter text goes to stores with less room.

    Raises UsageError where a person's notes would be lost.
    """
    texts = Texts(project)
    source = project.source_locale
    file = f"copy/{source}.toml"
    # What most room shows is for every store; the others get less.
    common = max((fitted.text for fitted in drafted.fitted.values()), key=len)
    values: dict[str, str] = {}
    superseded = []
    for store, fitted in drafted.fitted.items():
        key = project.stores[store].rulebook.field_with("notes")
        values[key] = common
        address = f"{store}.{key}"
        if fitted.text != common:
            values[address] = fitted.text
        elif texts.get(source, address):
            superseded.append(address)
    for address in (*values, *superseded):
        if texts.get(source, address).strip() and not replace and not is_drafted(texts, source, address):
            remedy = "Keep them in the history first (tavolan notes keep), or give --replace."
            raise UsageError(f"{file} has notes that a person wrote, under {address}", remedy)
    editor = TomlEditor(project.root / file, file)
    for address in superseded:
        editor.remove(texts.key(address))
    state = adopted(texts)
    for address, text in values.items():
        editor.set(texts.key(address), text)
        state[source, address] = StateEntry(digest(text), "drafted", digest(text))
    author = f"out/notes/{project.app.version or 'draft'}.md"
    with changing(project.root):
        write_state(project.root, state)
        editor.save()
        write_inside(project.root, author, _for_the_author(drafted).encode())
    return [
        f"{file}: {len(drafted.bullets)} lines, marked as a draft until you change them",
        f"{author}: each line with its commits",
    ]


def _for_the_author(drafted: DraftedNotes) -> str:
    lines = ["# Where each line comes from", ""]
    for bullet in drafted.bullets:
        lines.append(f"- {bullet.text}")
        lines += [
            f"  - {commit.id} {commit.subject} ({commit.author}, {commit.date[:10]})" for commit in bullet.commits
        ]
    lines += ["", "## Left out", ""]
    lines += [f"- {item.commit.id} {item.commit.subject}: {item.why}" for item in drafted.dropped]
    return "\n".join(lines) + "\n"
