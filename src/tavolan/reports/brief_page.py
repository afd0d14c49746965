"""A brief as a page, whose answers are saved as a file, and as a workbook, in which they're written."""

from tavolan.exchange.brief_answers import SCHEMA
from tavolan.exchange.copy_sheets import as_workbook
from tavolan.exchange.fact_rows import choices_of
from tavolan.languages.tags import is_right_to_left, locale_name
from tavolan.pictures.design.colour import resolve
from tavolan.project.state import digest
from tavolan.project.texts import Texts
from tavolan.reports.brief import Brief, is_open
from tavolan.reports.page_template import page_from


def brief_page(brief: Brief) -> str:
    """Return a brief as HTML; it needs no server."""
    project = brief.project
    source = project.source_locale
    sent = [{"locale": source, "address": text.address, "text": text.text} for text in brief.texts]
    sent += [{"locale": "", "address": row.name, "text": row.text} for row in brief.facts]
    return page_from(
        "brief.html.j2",
        app=project.app,
        palette=resolve(project.shots.palette),
        brief=brief,
        until=brief.until.isoformat() if brief.until else "",
        facts=[(row, choices_of(row), is_open(row)) for row in brief.facts],
        source=source,
        language=locale_name(source),
        direction="rtl" if is_right_to_left(source) else "ltr",
        answers={"schema": SCHEMA, "app": project.app.name},
        sent=[{**each, "base": digest(each["text"])} for each in sent],
    )


def brief_workbook(brief: Brief) -> bytes:
    """Return a brief as a workbook: a sheet of what's asked, the texts of the source locale, the facts."""
    project = brief.project
    rows = [("asked", "which", "more")]
    if brief.until:
        rows.append(("deadline", brief.until.isoformat(), "Please send this file back by then."))
    for text in brief.texts:
        if text.needed and not text.text:
            limit = f" At most {text.limit} {text.unit}." if text.limit else ""
            rows.append(("text to write", text.address, text.what + limit))
    rows += [("fact to answer", row.name, row.fact.rule.what) for row in brief.facts if is_open(row)]
    if brief.icon:
        rows.append(("icon", "icon.png", "A square picture of 1024×1024 pixels, without rounded corners."))
    for picture in brief.pictures:
        sizes = " or ".join(picture.sizes)
        rows.append(("capture", picture.file, f"Screen {picture.screen}, {picture.size_class}: {sizes} pixels."))
    for language in brief.languages:
        rows.append(("language", f"{language.name} ({language.tag})", f"Translated: {language.words}."))
    data, _ = as_workbook(Texts(project), "fields", [project.source_locale], rows)
    return data
