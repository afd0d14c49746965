"""The page for people: what arrived, what's still missing, where review stands."""

from functools import cache
from pathlib import Path
from typing import TYPE_CHECKING, Any

from tavolan.languages.tags import is_right_to_left, locale_name
from tavolan.standins.console.back_office import builds_state, moved_on
from tavolan.support.shipped import shipped_text

if TYPE_CHECKING:
    from jinja2 import Template

    from tavolan.standins.console.desk import Desk


@cache
def _template() -> "Template":
    from jinja2 import Environment

    source = shipped_text(Path(__file__).parent / "page.html.j2")
    return Environment(autoescape=True, trim_blocks=True, lstrip_blocks=True).from_string(source)


def page_of(desk: "Desk", key: str, chosen: str) -> str:
    """Return the page as HTML; of one app, or of the first. `key` is the last part of the page's address."""
    apps = [kept.key for kept in desk.state.all("app")]
    app = chosen if chosen in apps else next(iter(apps), "")
    return _template().render(apps=apps, app=app, key=key, **(_shown(desk, app) if app else {}))


def _shown(desk: "Desk", app: str) -> dict[str, Any]:
    state, record = desk.state, desk.record(app)
    sets: dict[str, dict[str, list[str]]] = {}
    for kept in state.all("set", app):
        locale, place = kept.key.split(" ")
        sets.setdefault(locale, {})[place] = kept.value["pictures"]
    locales = [
        {
            "tag": kept.key,
            "name": locale_name(kept.key),
            "direction": "rtl" if is_right_to_left(kept.key) else "ltr",
            "texts": {name: ", ".join(v) if isinstance(v, list) else v for name, v in kept.value["texts"].items()},
            "sets": sets.get(kept.key, {}),
        }
        for kept in sorted(state.all("listing", app), key=lambda kept: (kept.key != record["default_locale"], kept.key))
    ]
    facts = state.get("facts", app)
    return {
        "store": record["store"],
        "sections": desk.sections(app),
        "locales": locales,
        "facts": facts.value if facts else {},
        "versions": [moved_on(state, app, kept, desk.manners) for kept in state.all("version", app)],
        "builds": [
            {**kept.value, "number": kept.key, "state": builds_state(kept.value)} for kept in state.all("build", app)
        ],
    }
