"""Find the raw screen of a shot, or the clip of a scene, and say when another one is used in its place."""

from collections.abc import Collection
from dataclasses import dataclass
from pathlib import Path

from tavolan.project.model import Project


@dataclass(frozen=True)
class Screen:
    """A raw screen that was found for a place; `locale` and `size_class` say what it was captured as.

    It's `exact` when it shows the place's own language: captured in its locale, or in the one that it's like.
    """

    path: Path
    locale: str
    size_class: str
    exact: bool


class ScreenIndex:
    """All files under `screens/<locale>/<size class>/<name>.png`, or of another folder and kind, listed once."""

    def __init__(self, project: Project, folder: str = "screens", endings: Collection[str] = (".png",)) -> None:
        self.project = project
        self.found: dict[str, dict[tuple[str, str], Path]] = {}
        paths = (path for path in sorted((project.root / folder).glob("*/*/*")) if path.suffix in endings)
        for path in paths:
            self.found.setdefault(path.stem, {})[(path.parent.parent.name, path.parent.name)] = path

    def names(self) -> set[str]:
        """Names of all screens, whatever the locale and size class."""
        return set(self.found)

    def find(self, name: str, locale: str, size_class: str) -> Screen | None:
        """Return the screen for a place, of its size class, else of another one of the same form.

        The locale's own come first, then those of the locale that it's like, then the source locale's.
        """
        places = self.found.get(name, {})
        forms = self.project.forms
        form = forms.get(size_class)
        own = [locale, *self.project.parents_of(locale)]
        for tag in dict.fromkeys((*own, self.project.source_locale)):
            if (tag, size_class) in places:
                return Screen(places[tag, size_class], tag, size_class, tag in own)
            for (found_tag, found_class), path in places.items():
                if found_tag == tag and forms.get(found_class, found_class.split("-")[0]) == form:
                    return Screen(path, tag, found_class, tag in own)
        return None
