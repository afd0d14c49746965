"""Take a locale in that somebody began in a console: its files, its texts and pictures, for the stores that have it."""

from tavolan.consoles.comparison import Comparison, Selection, comparison_of
from tavolan.consoles.opening import opened_consoles
from tavolan.consoles.pull import plan_pull, pull
from tavolan.errors import UsageError
from tavolan.project.load import load_project
from tavolan.project.model import Project
from tavolan.project.new_locale import add_locales
from tavolan.project.toml_edit import TomlEditor
from tavolan.support.number_words import counted
from tavolan.support.transaction import writing


def locale_from_consoles(project: Project, tag: str) -> list[str]:
    """Add a locale as consoles have it; return what was done, in lines. Stores whose console lacks it go without.

    Raises UsageError where no console has it, and as `add_locale` does.
    """
    root = project.root
    with writing(root), opened_consoles(project, []) as clients:
        before = {store: comparison_of(project, store, client) for store, client in clients.items()}
        having = [store for store, found in before.items() if tag in found.unknown_locales]
        if not having:
            raise UsageError(f"no console has {tag}, or it's here already", "See: tavolan console pull --dry-run")
        lines = [] if tag in project.app.locales else add_locales(project, [tag], anyway=True)
        lines += _list_for_stores(load_project(root), tag, before, having)
        fresh = load_project(root)
        for store in having:
            found = comparison_of(fresh, store, clients[store], Selection(locales=(tag,)))
            pulled = plan_pull(found)
            pull(found, pulled)
            lines.append(f"{store}: {counted(len(pulled.taken), 'change')} came in")
    return lines


def _list_for_stores(project: Project, tag: str, before: dict[str, Comparison], having: list[str]) -> list[str]:
    """Name the locale among those of the stores that have it, and of those without a console."""
    lines, editor = [], TomlEditor(project.root / "tavolan.toml", "tavolan.toml")
    for store, found in before.items():
        own = [other for other in found.store.locales if other != tag]
        if store not in having:
            lines.append(f"{store} hasn't {tag}: it's left out there; [store.{store}] locales says so")
        elif tag not in project.stores[store].locales:
            own.append(tag)
        else:
            continue
        editor.set(("store", store, "locales"), own)
    editor.save()
    return lines
