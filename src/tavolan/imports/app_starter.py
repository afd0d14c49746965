"""Make of what an app's build files say a project to start with; what was given by hand counts before it."""

from dataclasses import replace

from tavolan.errors import FaultError
from tavolan.imports.app_folder import FoundApp
from tavolan.languages.tags import language_of
from tavolan.project.meant_locales import meant_tags, same_but_wider, stores_with
from tavolan.project.starter import Starter
from tavolan.support.safe_names import version_name

_USUAL_SOURCE = "en-US"


def starter_of_app(given: Starter, found: FoundApp, source: str) -> tuple[Starter, list[str]]:
    """Return a starter with what an app says, and the languages of the app that no store has.

    `source` is the locale that was asked for as the first one; "" where it's left to the app.
    """
    rulebooks = {store: given.rulebook(store) for store in given.stores}
    tags, lacking = {}, []
    for language in found.all_of("languages"):
        if stores_with(rulebooks, language):
            tag = same_but_wider(rulebooks, language) or language
        else:
            tag = next(iter(meant_tags(rulebooks, language)), "")
        if tag:
            tags[language] = tag
        else:
            lacking.append(language)
    first = found.first("source").replace("_", "-")
    own = next((tag for language, tag in tags.items() if first and language_of(language) == language_of(first)), "")
    source = source or own or next(iter(meant_tags(rulebooks, first)), "") or _USUAL_SOURCE
    # A language that the app has without a country is the source's, where that's of the language.
    locales = [
        tag
        for language, tag in tags.items()
        if tag != source and not (language == language_of(language) == language_of(source))
    ]
    return (
        replace(
            given,
            name=given.name or found.first("name"),
            source=source,
            locales=tuple(dict.fromkeys((*given.locales, *locales))),
            version=_version(found.first("version")) or given.version,
            runs_on=tuple(found.all_of("devices")) or given.runs_on,
        ),
        lacking,
    )


def _version(text: str) -> str:
    try:
        return version_name(text)
    except FaultError:
        return ""
