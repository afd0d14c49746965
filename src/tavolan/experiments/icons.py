"""Icons of an experiment: in the scales that its store's tests need, with the property list that the app needs.

Where a store tests only icons that ship inside the app, the live build must have them before the experiment starts.
"""

import plistlib
import re
from typing import Any

from tavolan.errors import UsageError
from tavolan.experiments.files import Experiment
from tavolan.pictures.outputs.icons import Icon, alternative_icons
from tavolan.project.model import Project
from tavolan.rulebooks.model import Graphic

LIST = "alternative-icons.plist"


def icon_masters(one: Experiment) -> dict[str, str]:
    """Return variant → the file of its icon."""
    return {name: variant.icon for name, variant in one.table.variant.items() if variant.icon}


def icons_in_app(project: Project, one: Experiment) -> dict[str, str]:
    """Return variant → the name of its icon inside the app; nothing where the store takes icons without a build."""
    if _asked(project, one) is None:
        return {}
    return {name: f"{one.id}-{name}" for name in icon_masters(one)}


def plan_variant_icons(project: Project, one: Experiment, folder: str) -> dict[str, list[Icon]]:
    """Return variant → its icon files. Raises UsageError for a store without icons."""
    store = project.stores[one.table.store]
    masters = icon_masters(one)
    if masters and "icon" not in store.rulebook.graphics:
        raise UsageError(f"{store.id} has no icon to try", f"Take it out of {one.address}.")
    return {
        name: alternative_icons(store, master, f"{one.id}-{name}", f"{folder}/icons")
        for name, master in masters.items()
    }


def property_list(project: Project, one: Experiment) -> bytes | None:
    """Return what the app's property list must say of the icons, as XML; None where no icon ships inside the app."""
    graphic, names = _asked(project, one), icons_in_app(project, one)
    if graphic is None or not names:
        return None
    found: dict[str, Any] = {name: {graphic.declared_files: [name]} for name in names.values()}
    for key in reversed(graphic.declared_under):
        found = {key: found}
    # Readers need no document type, which would name an outside address.
    return re.sub(rb"<!DOCTYPE[^>]*>\n", b"", plistlib.dumps(found))


def _asked(project: Project, one: Experiment) -> Graphic | None:
    graphic = project.stores[one.table.store].rulebook.graphics.get("alternate_icon")
    return graphic if graphic is not None and graphic.declared_under else None
