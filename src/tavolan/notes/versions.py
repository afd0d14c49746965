"""Release notes per version: those of now, and those kept under `[history]`.

A store's own notes and those for testers are kept beside the general ones, as `"2.4 android"` and `"2.4 testers"`.
Where stores call their notes by different names, those of a further name are kept as `"2.4 whats_new"`.
"""

from tavolan.errors import UsageError
from tavolan.project.model import Copy, Project
from tavolan.support.transaction import changing

TESTERS = "testers"


def addresses(project: Project) -> dict[str, tuple[str, ...]]:
    """Return where notes are in a copy file, by whom they're for: "" for every store, a store, or testers."""
    found: dict[str, tuple[str, ...]] = {}
    for number, key in enumerate(project.keys_with("notes")):
        found[key if number else ""] = (key,)
    for store in project.stores.values():
        if key := store.rulebook.field_with("notes"):
            found[store.id] = (store.id, key)
    for key in project.keys_with("tester_notes")[:1]:
        found[TESTERS] = (key,)
    return found


def written(project: Project, copy: Copy) -> dict[str, str]:
    """Return the notes that are in a locale's own file, by whom they're for."""
    found = {}
    for who, key in addresses(project).items():
        table = copy.data.get(key[0], {}) if len(key) == 2 else copy.data
        text = table.get(key[-1])
        if isinstance(text, str) and text.strip():
            found[who] = text
    return found


def current(project: Project, tag: str) -> dict[str, str]:
    """Return the notes that stores show in a locale now, inherited ones too, by whom they're for."""
    found: dict[str, str] = {}
    whom = {key: who for who, key in addresses(project).items()}
    for store in project.stores.values():
        value = project.copy[tag].value(store.id, store.rulebook.field_with("notes"))
        if value.written:
            found[whom[tuple(map(str, value.key))]] = str(value.content).strip()
    testers = ""
    for store in project.stores.values():
        testers = testers or str(
            project.copy[tag].value(store.id, store.rulebook.field_with("tester_notes")).content or ""
        )
    return dict(sorted(found.items())) | ({TESTERS: testers.strip()} if testers.strip() else {})


def apart(project: Project, name: str) -> tuple[str, str]:
    """Return the version in a key of `[history]`, and whom its notes were for."""
    version, _, who = name.rpartition(" ")
    return (version, who) if version and who in addresses(project) else (name, "")


def kept(project: Project, copy: Copy, version: str) -> dict[str, str]:
    """Return the notes of an earlier version, by whom they were for."""
    found = {}
    for name, text in copy.history().items():
        of, who = apart(project, name)
        if of == version and text.strip():
            found[who] = text.strip()
    return found


def versions(project: Project) -> list[str]:
    """Return the versions that any locale has kept notes of, sorted."""
    return sorted({apart(project, name)[0] for copy in project.copy.values() for name in copy.history()})


def keep_notes(project: Project, following: str = "") -> list[str]:
    """Move the notes of this version into `[history]` of every locale, and open the `following` one.

    Raises UsageError without a version, and for a following one that is this one or an earlier one.
    """
    version = project.app.version
    if not version:
        raise UsageError("[app] has no version", 'Write version = "2.4" there first.')
    if following and following in (version, *versions(project)):
        raise UsageError(f"{following} is this version or an earlier one", "Give the next one.", option="--next")
    found = {tag: notes for tag, copy in project.copy.items() if (notes := written(project, copy))}
    for tag, notes in found.items():
        earlier = kept(project, project.copy[tag], version)
        if any(who in earlier and earlier[who] != text.strip() for who, text in notes.items()):
            raise UsageError(
                f"copy/{tag}.toml has other notes of version {version} in [history]", "Compare them first."
            )
    with changing(project.root):
        return _keep(project, found, following)


def _keep(project: Project, found: dict[str, dict[str, str]], following: str) -> list[str]:
    # The checks read versions too, and edit nothing.
    from tavolan.project.state import write_state
    from tavolan.project.text_writing import adopted
    from tavolan.project.texts import Texts
    from tavolan.project.toml_edit import TomlEditor

    version, places = project.app.version, addresses(project)
    write_state(project.root, adopted(Texts(project)))
    for tag, notes in found.items():
        editor = TomlEditor(project.root / "copy" / f"{tag}.toml", f"copy/{tag}.toml")
        for who, text in notes.items():
            editor.set(("history", f"{version} {who}".strip()), text)
            editor.remove(places[who])
        editor.save()
    lines = [f"copy/{tag}.toml: notes of {version} are in [history] now" for tag in found]
    lines = lines or ["No locale has notes to keep."]
    if following:
        editor = TomlEditor(project.root / "tavolan.toml", "tavolan.toml")
        editor.set(("app", "version"), following)
        if project.app.first_version:
            editor.remove(("app", "first_version"))
        editor.save()
        lines.append(f"tavolan.toml: version {following} is open")
    return lines
