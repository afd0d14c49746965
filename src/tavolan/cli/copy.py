"""`tavolan copy`: show, set, replace, sheet."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from tavolan.cli import completing
from tavolan.cli.common import (
    DryRunOption,
    JsonOption,
    LocaleOption,
    PreferOption,
    ProjectOption,
    YesOption,
    agreed,
    console,
    open_project,
    print_data,
    print_document,
)

if TYPE_CHECKING:
    from tavolan.project.text_writing import Work
    from tavolan.project.texts import TextChange, Texts

app = typer.Typer(
    help="The listing's text: see it, change it, take it to a spreadsheet and back.", no_args_is_help=True
)

LocaleArgument = Annotated[str, typer.Argument(help="Locale, as in de-DE.", autocompletion=completing.locales)]
FieldArgument = Annotated[
    str,
    typer.Argument(help="Field, as in title, android.title or captions.home.", autocompletion=completing.fields),
]
Force = Annotated[bool, typer.Option("--force", help="Write it even when it's over the limit.")]


def _texts(folder: Path | None, write: bool = False) -> Texts:
    from tavolan.project.texts import Texts

    return Texts(open_project(folder, write))


def _locale(texts: Texts, locale: str) -> str:
    return texts.project.pick("LOCALE", [locale], texts.project.app.locales)[0]


@app.command()
def show(
    locale: Annotated[
        str | None, typer.Argument(help="Locale, as in de-DE.", autocompletion=completing.locales)
    ] = None,
    field: Annotated[
        str | None, typer.Argument(help="Only this field, exactly as it ships.", autocompletion=completing.fields)
    ] = None,
    project: ProjectOption = None,
    store: Annotated[str | None, typer.Option("--store", help="Leave out what's for other stores.")] = None,
    in_all: Annotated[
        str,
        typer.Option("--field", help="This field in all locales, side by side.", autocompletion=completing.fields),
    ] = "",
    json: JsonOption = False,
) -> None:
    """Print the text of one locale with its lengths, one field exactly as it ships, or one field in all locales."""
    from tavolan.errors import UsageError
    from tavolan.reports.documents.copy import Copy, Text

    if (locale is None) != bool(in_all):
        raise UsageError("what to show isn't said", "Name a locale, or a field of all locales with --field.")
    texts = _texts(project)
    if locale is None:
        _show_in_all(texts, in_all, json)
        return
    tag = _locale(texts, locale)
    if field:
        texts.key(field)
        if json:
            text, lent_by = texts.shown(tag, field)
            print_document(Text(locale=tag, field=field, text=text, like=lent_by))
        else:
            print_data(texts.shown(tag, field)[0])
        return
    if json:
        print_document(Copy(locale=tag, texts=texts.written(tag)))
        return
    from tavolan.reports.copytables import print_locale

    print_locale(console(), texts, tag, store)


def _show_in_all(texts: Texts, field: str, json: bool) -> None:
    """Print one field in all locales: text, length, room left, and the phrases that its words serve."""
    from tavolan.reports.copytables import print_field
    from tavolan.reports.documents.copy import Field
    from tavolan.words.coverage import cover

    texts.key(field)
    answers = cover(texts.project, list(texts.project.stores))
    if json:
        print_document(Field.of_texts(texts, field, answers))
    else:
        print_field(console(), texts, field, answers)


@app.command(name="set")
def set_text(
    locale: LocaleArgument,
    field: FieldArgument,
    text: Annotated[str, typer.Argument(help="The text; - reads it from standard input.")] = "",
    project: ProjectOption = None,
    clear: Annotated[bool, typer.Option("--clear", help="Take the text away.")] = False,
    alternate: Annotated[
        int | None,
        typer.Option("--alternate", min=1, help="Put this alternate there; the text becomes one.", metavar="NUMBER"),
    ] = None,
    force: Force = False,
    dry_run: DryRunOption = False,
) -> None:
    """Write one text into its file, which keeps its comments and order. Refused over the limit, unless forced."""
    from tavolan.errors import UsageError
    from tavolan.project.texts import TextChange

    text = _standard_input() if text == "-" else text
    texts = _texts(project, write=not dry_run)
    tag = _locale(texts, locale)
    texts.key(field)
    if alternate is not None:
        if text or clear:
            raise UsageError("--alternate puts an alternate there: give it no text.")
        _choose(texts, tag, field, alternate, force, dry_run)
        return
    if clear and text:
        raise UsageError("--clear takes the text away: give it no text.")
    if not clear and not text.strip():
        raise UsageError(f"{tag} {field}: the text is empty", "Nothing was written; to take it away, use --clear.")
    _apply(texts, [TextChange(tag, field, texts.get(tag, field), text)], force, dry_run)


def _standard_input() -> str:
    from tavolan.errors import one_problem

    data = sys.stdin.buffer.read()
    try:
        return data.decode("utf-8")
    except UnicodeDecodeError as error:
        line = data.count(b"\n", 0, error.start) + 1
        raise one_problem("standard input", line, "", "isn't UTF-8", "Send it as UTF-8.") from error


def _choose(texts: Texts, locale: str, field: str, number: int, force: bool, dry_run: bool) -> None:
    """Put an alternate of a field into the field; what was there becomes the alternate."""
    from tavolan.errors import UsageError
    from tavolan.project.texts import TextChange

    candidates = list(texts.project.copy[locale].alternates(field).content)
    if number > len(candidates):
        there = f"there are {len(candidates)}" if candidates else "there are none"
        raise UsageError(f"{locale} {field}: there's no alternate {number}; {there} under [alternates].")
    before, after = texts.get(locale, field), candidates[number - 1]
    candidates[number - 1] = before
    kept = [text for text in candidates if text]
    _apply(texts, [TextChange(locale, field, before, after)], force, dry_run, alternates=(locale, field, kept))


@app.command()
def replace(
    find: Annotated[str, typer.Argument(help="Text to find.")],
    put: Annotated[str, typer.Argument(help="Text to put in its place.")],
    project: ProjectOption = None,
    locale: LocaleOption = None,
    field: Annotated[list[str] | None, typer.Option("--field", help="Only this field; repeatable.")] = None,
    words: Annotated[bool, typer.Option("--words", help="Whole words only.")] = False,
    regex: Annotated[bool, typer.Option("--regex", help="FIND is a regular expression.")] = False,
    ignore_case: Annotated[
        bool, typer.Option("--ignore-case", help="Capitals and small letters count as the same.")
    ] = False,
    force: Force = False,
    yes: YesOption = False,
    dry_run: DryRunOption = False,
) -> None:
    """Find and replace over all locales and fields. Shows each change, and asks before it's written."""
    from tavolan.project.replacing import replacements

    texts = _texts(project, write=not dry_run)
    chosen = field or []
    for name in chosen:
        texts.key(name)
    locales = texts.project.pick("--locale", locale or [], texts.project.app.locales)
    changes = replacements(
        texts, locales, chosen or texts.addresses(), find, put, words=words, expression=regex, ignore_case=ignore_case
    )
    if not changes:
        console().print("Found nowhere.")
        return
    _apply(texts, changes, force, dry_run, work="as before", ask=not yes)


@app.command()
def sheet(
    out: Annotated[Path | None, typer.Argument(help="Spreadsheet to write, .xlsx or .csv.", metavar="[FILE]")] = None,
    read: Annotated[Path | None, typer.Option("--read", help="Spreadsheet to read back.", metavar="FILE")] = None,
    project: ProjectOption = None,
    rows: Annotated[str, typer.Option("--rows", help="In a workbook: locales or fields.")] = "locales",
    prefer: PreferOption = "ask",
    dry_run: DryRunOption = False,
) -> None:
    """Write texts and facts to a spreadsheet, or read one back: what changed in it, never over what changed here."""
    from tavolan.errors import UsageError
    from tavolan.exchange import copy_sheets

    if (out is None) == (read is None):
        raise UsageError("Name one file: tavolan copy sheet FILE writes it, tavolan copy sheet --read FILE reads it.")
    if rows not in ("locales", "fields"):
        raise UsageError(f'--rows can\'t be "{rows}"', "Write locales or fields.")
    from tavolan.cli.reading_back import read_back

    texts = _texts(project, write=read is not None and not dry_run)
    if read:
        read_back(texts, copy_sheets.read_sheet(read), str(read), prefer, dry_run)
        return
    assert out is not None
    count = copy_sheets.write_sheet(texts, out, "fields" if rows == "fields" else "locales", dry_run=dry_run)
    done = "would be written" if dry_run else "written"
    console().print(
        f"{count} texts and facts in {len(texts.project.app.locales)} locales {done} to {out}", soft_wrap=True
    )


def _apply(
    texts: Texts,
    changes: list[TextChange],
    force: bool,
    dry_run: bool,
    alternates: tuple[str, str, list[str]] | None = None,
    work: Work = "translated",
    ask: bool = False,
) -> None:
    """Show changes, refuse those over their limit, write the rest, where `ask` says so only once somebody agrees."""
    from tavolan.errors import UsageError
    from tavolan.project.text_writing import TextWriter
    from tavolan.reports.copytables import print_changes
    from tavolan.support.number_words import counted
    from tavolan.support.transaction import changing

    over = [(change, texts.over(change.locale, change.address, change.after)) for change in changes]
    faults = [f"{change.locale} {change.address}: {fault}" for change, fault in over if fault]
    if faults and not force:
        raise UsageError("\n".join([*faults, "Nothing was written. Shorten it, or use --force."]))
    real = [change for change in changes if change.before != change.after]
    printer = console()
    print_changes(printer, real)
    # A translation set to what it says already is thereby confirmed: it serves the source as it is now.
    source = texts.project.source_locale
    confirmed = [change for change in changes if change.before == change.after != "" and change.locale != source]
    if ask and real and not dry_run:
        question = f"Write {counted(len(real), 'change')}?"
        if not agreed(question, yes=False, undone="nothing is written"):
            printer.print("Nothing is written.")
            raise typer.Exit(1)
    if not dry_run:
        writer = TextWriter(texts)
        with changing(texts.project.root):
            writer.write([*real, *confirmed], work)
            if alternates:
                writer.write_alternates(*alternates)
        if confirmed:
            printer.print(f"Confirmed: it still serves the {source} text.")
    verb = "would change" if dry_run else "changed"
    printer.print(f"{len(real)} {'text' if len(real) == 1 else 'texts'} {verb}")
