"""A page on which somebody reviews all texts of a language, and saves the answers as a file. It needs no server."""

from dataclasses import dataclass

from tavolan.exchange.review_answers import SCHEMA
from tavolan.exchange.send import request_for
from tavolan.exchange.translation_request import TranslationUnit
from tavolan.languages.tags import is_right_to_left, locale_name
from tavolan.pictures.design.colour import resolve
from tavolan.pictures.raster.thumbnail import thumb_of_file
from tavolan.project.addresses import parse_address
from tavolan.project.model import Project
from tavolan.project.texts import Texts
from tavolan.reports.page_template import jpeg_address, page_from

_STANDING_WORDS = {
    "untranslated": "not translated yet",
    "over": "too long",
    "outdated": "the source changed since",
    "drafted": "drafted by a machine",
    "translated": "translated",
    "reviewed": "reviewed",
    "approved": "approved",
}


@dataclass(frozen=True)
class ReviewedText:
    """A text on the page: the unit that's sent, its name, the words of its standing, and its picture's address."""

    unit: TranslationUnit
    name: str
    standing: str
    picture: str


def review_page(project: Project, tag: str, keywords: bool = False) -> str:
    """Return the page of a language as HTML; keyword lists are on it where they're wanted."""
    request = request_for(Texts(project), tag, [], everything=True, keywords=keywords)
    # Where a language has no pictures yet, those of the source show at least where a text stands.
    pictures = _pictures(project, project.source_locale) | _pictures(project, tag)
    texts = [
        ReviewedText(unit, _name(unit.address), _STANDING_WORDS[unit.standing], pictures.get(unit.address, ""))
        for unit in request.texts
        if unit.source.strip()
    ]
    sent = [
        {"address": each.unit.address, "source": each.unit.source, "text": each.unit.target, "base": each.unit.base}
        for each in texts
    ]
    return page_from(
        "review.html.j2",
        app=project.app,
        palette=resolve(project.shots.palette),
        tag=tag,
        language=locale_name(tag),
        source=locale_name(project.source_locale),
        source_direction="rtl" if is_right_to_left(project.source_locale) else "ltr",
        direction="rtl" if is_right_to_left(tag) else "ltr",
        texts=texts,
        answers={
            "schema": SCHEMA,
            "app": project.app.name,
            "source_locale": project.source_locale,
            "locale": tag,
        },
        sent=sent,
    )


def _name(address: str) -> str:
    place = parse_address(address)
    words = " ".join(place.path).replace("_", " ")
    return words.replace(place.table, place.table.removesuffix("s"), 1) if place.table else words


def _pictures(project: Project, tag: str) -> dict[str, str]:
    """Return a small picture for each caption, of the locale, by address: the first size class that has one."""
    keys = {shot.name: shot.caption_key for shot in project.shots.shot}
    found: dict[str, str] = {}
    for file in sorted((project.root / "out" / "shots").glob(f"*/*/{tag}/*.png")):
        address = f"captions.{keys.get(file.stem.partition('-')[2], '')}"
        if address not in found:
            found[address] = jpeg_address(thumb_of_file(file))
    return found
