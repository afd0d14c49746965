"""The same figures as many exports spell them: each is taken in right, or refused with nothing written."""

import csv
import io
import zipfile
from collections.abc import Callable
from dataclasses import dataclass, field
from datetime import date, datetime, timedelta

import openpyxl
import pytest

import tavolan
from conftest import run_tavolan
from tavolan.project.datafile import METRICS
from tavolan.project.tables import Tables

DAYS = [date(2026, 11, day) for day in (12, 13, 14, 15)]
HEAD = ("Date", "Country", "Source", "Impressions", "Installs")
# Day, country, source, impressions, installs; None where the figure was withheld.
TRUTH = [
    (day, country, source, 1450 + 10 * place + number, None if (place, number) == (2, 1) else 40 + 7 * place + number)
    for place, day in enumerate(DAYS)
    for number, (country, source) in enumerate((("US", "search"), ("US", "browse"), ("DE", "search"), ("DE", "browse")))
]


def plain(number):
    return "" if number is None else str(number)


@dataclass
class Variant:
    """An export: how it spells what, and what it's wrapped in; `refused` is a part of the message, "" where it's right."""

    head: tuple[str, ...] = HEAD
    day: Callable = date.isoformat
    country: Callable = str
    source: Callable = str
    number: Callable = plain
    separator: str = ","
    encoding: str = "utf-8"
    end: str = "\n"
    before: list[str] = field(default_factory=list)
    after: list[str] = field(default_factory=list)
    name: str = "export.csv"
    options: tuple[str, ...] = ()
    quoting: int = csv.QUOTE_MINIMAL
    refused: str = ""

    def rows(self):
        rows = [[self.day(day), self.country(country), self.source(source), *map(self.number, numbers)]
                for day, country, source, *numbers in TRUTH]  # fmt: skip
        return [list(self.head), *rows]

    def data(self):
        out = io.StringIO(newline="")
        csv.writer(out, delimiter=self.separator, lineterminator=self.end, quoting=self.quoting).writerows(self.rows())
        text = "".join(f"{line}{self.end}" for line in self.before) + out.getvalue()
        return (text + "".join(f"{line}{self.end}" for line in self.after)).encode(self.encoding)


def grouped(mark):
    return lambda number: "" if number is None else f"{number:,}".replace(",", mark)


def written_as(pattern):
    return lambda day: day.strftime(pattern)


def withheld_as(text):
    return lambda number: text if number is None else str(number)


def in_words(names):
    return lambda text: names.get(text, text)


EN = {"US": "United States", "DE": "Germany", "search": "Store Search", "browse": "Store Browse"}
DE = {"US": "Vereinigte Staaten", "DE": "Deutschland", "search": "Suche", "browse": "Stöbern"}
GERMAN = ("Datum", "Land", "Quelle", "Impressionen", "Installationen")


class Rows(Variant):
    """A variant whose rows are changed as a whole."""

    def __init__(self, change, **others):
        super().__init__(**others)
        self.change = change

    def rows(self):
        return self.change(super().rows())


class Workbook(Rows):
    """A workbook, by default with days and numbers as cells."""

    def __init__(self, change=lambda rows: rows, name="export.xlsx", typed=True, **others):
        super().__init__(change, name=name, **others)
        self.typed = typed

    def data(self):
        book = openpyxl.Workbook()
        for line in self.before:
            book.active.append([line])
        for row in self.rows():
            book.active.append([self._cell(cell) for cell in row])
        for line in self.after:
            book.active.append([line])
        out = io.BytesIO()
        book.save(out)
        return out.getvalue()

    def _cell(self, text):
        if not self.typed or not text:
            return text or None
        if text.isdigit() and len(text) < 6:
            return int(text)
        return datetime.fromisoformat(text) if text[:4] == "2026" else text


class Ods(Workbook):
    """An open document, with cells that stand for several."""

    def data(self):
        out = io.BytesIO()
        with zipfile.ZipFile(out, "w") as archive:
            archive.writestr("mimetype", "application/vnd.oasis.opendocument.spreadsheet")
            rows = "".join(
                f"<table:table-row>{''.join(map(self._ods_cell, row))}</table:table-row>" for row in self.rows()
            )
            archive.writestr(
                "content.xml",
                '<?xml version="1.0" encoding="UTF-8"?><office:document-content '
                'xmlns:office="urn:oasis:names:tc:opendocument:xmlns:office:1.0" '
                'xmlns:table="urn:oasis:names:tc:opendocument:xmlns:table:1.0" '
                'xmlns:text="urn:oasis:names:tc:opendocument:xmlns:text:1.0"><office:body><office:spreadsheet>'
                f'<table:table table:name="Figures">{rows}<table:table-row table:number-rows-repeated="1048000">'
                '<table:table-cell table:number-columns-repeated="1024"/></table:table-row></table:table>'
                "</office:spreadsheet></office:body></office:document-content>",
            )
            archive.writestr(
                "META-INF/manifest.xml",
                '<?xml version="1.0" encoding="UTF-8"?><manifest:manifest '
                'xmlns:manifest="urn:oasis:names:tc:opendocument:xmlns:manifest:1.0"><manifest:file-entry '
                'manifest:full-path="/" manifest:media-type="application/vnd.oasis.opendocument.spreadsheet"/>'
                "</manifest:manifest>",
            )
        return out.getvalue()

    def _ods_cell(self, text):
        if not text:
            return "<table:table-cell/>"
        if text.isdigit() and len(text) < 6:
            return f'<table:table-cell office:value-type="float" office:value="{text}"><text:p>{text}</text:p></table:table-cell>'
        return f'<table:table-cell office:value-type="string"><text:p>{text}</text:p></table:table-cell>'


def by_day(rows):
    """A column for each day, of installs alone."""
    places = list(dict.fromkeys((row[1], row[2]) for row in rows[1:]))
    days = list(dict.fromkeys(row[0] for row in rows[1:]))
    found = {(row[1], row[2], row[0]): row[4] for row in rows[1:]}
    return [["Country", "Source", *days], *[[*place, *(found[*place, day] for day in days)] for place in places]]


def by_measure(rows):
    """A row for each measure."""
    names = rows[0][3:]
    return [["Date", "Country", "Source", "Metric", "Value"],
            *[[*row[:3], name, cell] for row in rows[1:] for name, cell in zip(names, row[3:], strict=True)]]  # fmt: skip


def by_device(rows):
    """Each line in two parts that add up."""
    parts = []
    for row in rows[1:]:
        numbers = [None if cell == "" else int(cell) for cell in row[3:]]
        parts.append([*row[:3], *(plain(None if n is None else n - 5) for n in numbers), "phone"])
        parts.append([*row[:3], *(plain(None if n is None else 5) for n in numbers), "tablet"])
    return [[*rows[0], "Device"], *parts]


def with_sums(rows, name="Total"):
    """A line of all sources beside its parts, for each day and country."""
    sums = {}
    for row in rows[1:]:
        key = (row[0], row[1])
        sums[key] = sums.get(key, 0) + int(row[3])
    return [*rows, *[[day, country, name, str(number), ""] for (day, country), number in sums.items()]]


def weekly(rows):
    return [rows[0], *[["2026-11-09 - 2026-11-15", *row[1:]] for row in rows[1::4]]]


def changed(place, text):
    """One cell of the second row of figures is another one."""
    return lambda rows: [*rows[:2], [*rows[2][:place], text, *rows[2][place + 1 :]], *rows[3:]]


def serial(day):
    return str((day - date(1899, 12, 30)).days)


US_DAY, EU_DAY = (lambda day: day.strftime("%m/%d/%Y")), (lambda day: day.strftime("%d/%m/%Y"))
VARIANTS: dict[str, Variant] = {
    **{f"separator {name}": Variant(separator=mark) for name, mark in (("comma", ","), ("semicolon", ";"), ("tab", "\t"), ("pipe", "|"))},
    **{f"encoding {name}": Variant(head=GERMAN, country=in_words(DE), source=in_words(DE), encoding=name)
       for name in ("utf-8", "utf-8-sig", "utf-16", "cp1252")},
    "lines of another system": Variant(end="\r\n"),
    "all quoted": Variant(quoting=csv.QUOTE_ALL),
    "separator named": Variant(separator=";", before=["sep=;"]),
    "separator named in quotes": Variant(separator="|", before=['"sep=|"']),
    # Days.
    **{f"day {name}": Variant(day=written_as(pattern)) for name, pattern in (
        ("point", "%d.%m.%Y"), ("point short", "%d.%m.%y"), ("slash us", "%m/%d/%Y"), ("slash eu", "%d/%m/%Y"), ("compact", "%Y%m%d"),
        ("slashes iso", "%Y/%m/%d"), ("word first", "%b %d, %Y"), ("word second", "%d %b %Y"), ("long word", "%B %d, %Y"), ("hyphen word", "%d-%b-%y"),
        ("with time", "%Y-%m-%d 00:00:00"), ("with T", "%Y-%m-%dT00:00:00"), ("with zone", "%Y-%m-%dT00:00:00Z"),
    )},
    "day us with time": Variant(day=lambda day: f"{US_DAY(day)} 00:00"),
    "day serial": Variant(day=serial),
    "day serial with fraction": Variant(day=lambda day: f"{serial(day)}.0"),
    "day padded": Variant(day=lambda day: f"  {day.isoformat()} "),
    "day that may be both": Variant(day=lambda day: (day - timedelta(days=10)).strftime("%m/%d/%Y"), refused="--day-order"),
    "day that's a week": Rows(weekly, refused="is a period"),
    "day that's a month": Variant(day=lambda day: "2026-11", refused="is no day"),
    "day that's a quarter": Variant(day=lambda day: "Q4 2026", refused="is no day"),
    "day that there isn't": Rows(changed(0, "2026-02-30"), refused="day"),
    "day in words": Rows(changed(0, "yesterday"), refused="is no day"),
    # Numbers.
    "thousands comma": Variant(number=grouped(",")), "thousands point": Variant(number=grouped("."), separator=";"),
    "thousands space": Variant(number=grouped(" ")), "thousands apostrophe": Variant(number=grouped("'")),
    "thousands no-break": Variant(number=grouped("\u00a0")), "thousands narrow": Variant(number=grouped("\u202f")),
    "thousands point, days with points": Variant(number=grouped("."), day=lambda day: day.strftime("%d.%m.%Y"), separator=";"),
    "numbers with .0": Variant(number=lambda n: "" if n is None else f"{n}.0"),
    "numbers padded": Variant(number=lambda n: "" if n is None else f" {n} "),
    **{f"withheld as {name}": Variant(number=withheld_as(name))
       for name in ("-", "–", "—", "n/a", "N/A", "null", "NULL", "nan", "NaN", "None", "<5")},
    **{f"number {name}": Rows(changed(3, text), refused=message) for name, text, message in (
        ("rounded", "1.4K", "is no count"), ("rounded big", "1,234K", "is no count"), ("share", "3.4%", "is no count"),
        ("negative", "-3", "is no count"), ("broken", "1450.5", "is no count"), ("word", "many", "is no number"),
        ("millions", "1.2M", "is no count"), ("formula", "=A1", "is no number"), ("error", "#REF!", "is no number"),
    )},
    # Names of columns.
    "heads upper": Variant(head=tuple(map(str.upper, HEAD))), "heads lower": Variant(head=tuple(map(str.lower, HEAD))),
    "heads german": Variant(head=GERMAN), "heads padded": Variant(head=tuple(f" {name} " for name in HEAD)),
    "heads of a console": Variant(head=("Report Date", "Territory", "Source Type", "Unique Impressions", "First-Time Downloads")),
    "heads of another": Variant(head=("Day", "Market", "Traffic source", "Views", "Total Downloads")),
    "heads of a third": Variant(head=("date", "country", "acquisition_channel", "unique_views", "total_installs")),
    "heads french": Variant(head=("Date", "Pays", "Source", "Impressions", "Téléchargements")),
    "heads spanish": Variant(head=("Fecha", "País", "Source", "Impresiones", "Descargas")),
    "heads by hand": Variant(head=("d", "c", "s", "i", "n"), options=("--map", "d=date,c=storefront", "--map", "s=source", "--map", "i=impressions,n=installs")),
    "heads unknown": Variant(head=("d", "c", "s", "i", "n"), refused="neither metrics nor ranks"),
    "no head at all": Rows(lambda rows: rows[1:], refused=""),
    "head twice": Variant(head=("Date", "Country", "Source", "Installs", "Installs"), refused="two columns called"),
    "no country": Rows(lambda rows: [[*row[:1], *row[2:]] for row in rows], refused="no column looks like storefront"),
    "no source": Rows(lambda rows: [[*row[:2], *row[3:]] for row in rows], refused="no column looks like source"),
    # Values.
    "countries in English": Variant(country=in_words(EN)), "countries in German": Variant(country=in_words(DE)),
    "countries lower": Variant(country=str.lower), "countries of three letters": Variant(country=in_words({"US": "USA", "DE": "DEU"})),
    "a country that there isn't": Rows(changed(1, "Atlantis"), refused="is no country"),
    "a region": Rows(changed(1, "Western Europe"), refused="is no country"),
    "no country in a line": Rows(changed(1, ""), refused="is no country"),
    "sources in words": Variant(source=in_words(EN)), "sources in German": Variant(source=in_words(DE)),
    "sources upper": Variant(source=str.upper), "sources organic": Variant(source=in_words({"search": "Organic Search", "browse": "Explore"})),
    "no source in a line": Rows(changed(2, ""), refused="is empty"),
    # Lines that are no figures.
    "titles": Variant(before=["Installs by territory", "1 November 2026, 30 November 2026", ""]),
    "titles, semicolons": Variant(before=["Potto: Installs", "Period: 12.11.2026 - 15.11.2026"], separator=";"),
    "one title": Variant(before=["Report"]), "titles, tabs": Variant(before=["Report", "", "a, b, c"], separator="\t"),
    "titles as wide as the table": Variant(before=["Installs,,,,", ",,,,"]),
    "remarks at the end": Variant(after=["", "Source: console", "Figures are rounded"]),
    "titles and remarks": Variant(before=["Report"], after=["Made by a console"]),
    "blank lines": Rows(lambda rows: [row for each in rows for row in (each, [])]),
    "blank columns": Rows(lambda rows: [[*row, "", ""] for row in rows]),
    "a total at the end": Variant(after=["Total,,,24000,700"]),
    "a total in German": Variant(after=["Gesamt,,,24000,700"]),
    "sums of all sources": Rows(with_sums), "sums of all sources, german": Rows(lambda rows: with_sums(rows, "Alle")),
    "lines twice": Rows(lambda rows: [*rows, *rows[1:3]]),
    "the head again": Rows(lambda rows: [*rows[:5], rows[0], *rows[5:]], refused="is no day"),
    "a line too long": Rows(lambda rows: [*rows, ["2026-11-16", "US", "search", "1", "2", "3"]], refused="cells where"),
    "a column more": Rows(lambda rows: [[*row, "App version" if row is rows[0] else "2.1"] for row in rows]),
    # Shapes.
    "by device": Rows(by_device), "by measure": Rows(by_measure),
    "by measure, in German": Rows(lambda rows: [["Datum", "Land", "Quelle", "Kennzahl", "Wert"], *by_measure(rows)[1:]]),
    "by measure, twice": Rows(lambda rows: [*by_measure(rows), [*by_measure(rows)[1][:4], "77"]], refused="again"),
    "rows in another order": Rows(lambda rows: [rows[0], *rows[:0:-1]]),
    "columns in another order": Rows(lambda rows: [[row[4], row[2], row[0], row[3], row[1]] for row in rows]),
    # Workbooks.
    "workbook": Workbook(), "workbook of texts": Workbook(typed=False), "workbook called csv": Workbook(name="export.csv"),
    "workbook called txt": Workbook(name="export.txt"), "workbook with titles": Workbook(before=["Report", "Period"], after=["", "Made by hand"]),
    "workbook by measure": Workbook(by_measure), "workbook with serial days": Workbook(day=serial),
    "workbook in German": Workbook(head=GERMAN, country=in_words(DE), source=in_words(DE)),
    "workbook, broken number": Workbook(changed(3, "many"), refused="is no number"),
    "open document": Ods(name="export.ods"), "open document called csv": Ods(name="export.csv"), "open document with serial days": Ods(name="export.ods", day=serial),
    "open document by measure": Ods(by_measure, name="export.ods"), "open document, broken": Ods(changed(3, "many"), name="export.ods", refused="is no number"),
}  # fmt: skip
BY_DAY = {
    "by day": Rows(by_day, options=("--map", "values=installs")),
    "by day, in words": Rows(by_day, day=lambda day: day.strftime("%b %d, %Y"), options=("--map", "values=installs")),
    "by day, us": Rows(by_day, day=US_DAY, options=("--map", "values=installs")),
    "by day, with titles": Rows(by_day, before=["Installs", "by day"], options=("--map", "values=installs")),
    "by day, workbook": Workbook(by_day, typed=False, options=("--map", "values=installs")),
    "by day, of what isn't said": Rows(by_day, refused="what the numbers below are"),
    "by day, of what there isn't": Rows(by_day, options=("--map", "values=stars"), refused="neither metrics nor ranks"),
}
NOT_A_TABLE = {
    "picture": b"\x89PNG\r\n\x1a\n", "document": b"%PDF-1.7\n", "archive": b"PK\x03\x04nothing", "web page": b"<!DOCTYPE html>\n",
    "JSON": b'{"a": 1}', "bytes": b"a,b\n\x00\x01", "nothing": b"", "old workbook": b"\xd0\xcf\x11\xe0\x00",
}  # fmt: skip


def taken_in(root):
    if not (root / "data/metrics.csv").exists():
        return None
    frame = Tables(root).frame(METRICS)
    number = lambda value: None if value != value else int(value)  # noqa: E731
    return sorted(
        (
            date.fromordinal(row.date),
            str(row.storefront),
            str(row.source),
            number(row.impressions),
            number(row.installs),
        )
        for row in frame.itertuples()
    )


@pytest.fixture(scope="module")
def root(tmp_path_factory):
    """A project of one store that takes one export after the other."""
    folder = tmp_path_factory.mktemp("variants")
    (folder / "copy").mkdir()
    (folder / "copy/en-US.toml").write_text("")
    (folder / "tavolan.toml").write_text('[app]\nname = "A"\nsource = "en-US"\nlocales = ["en-US"]\n[store.ios]\n')
    tavolan.open_project(folder)
    return folder


def imported(root, variant):
    (root / "data/metrics.csv").unlink(missing_ok=True)
    path = root / variant.name
    path.write_bytes(variant.data())
    try:
        return run_tavolan("import", path, *variant.options, cwd=root)
    finally:
        path.unlink()


@pytest.mark.parametrize("name", VARIANTS)
def test_an_export_is_taken_in_right_or_not_at_all(root, name):
    variant = VARIANTS[name]
    done = imported(root, variant)
    if variant.refused or name == "no head at all":
        assert done.code in (2, 3) and variant.refused in done.err and taken_in(root) is None, (done.out, done.err)
    else:
        assert done.code == 0 and taken_in(root) == sorted(TRUTH, key=lambda row: row[:3]), (done.out, done.err)


@pytest.mark.parametrize("name", BY_DAY)
def test_a_column_for_each_day_is_as_good(root, name):
    variant = BY_DAY[name]
    done = imported(root, variant)
    if variant.refused:
        assert done.code in (2, 3) and variant.refused in done.err and taken_in(root) is None, (done.out, done.err)
    else:
        known = [(*row[:3], None, row[4]) for row in TRUTH if row[4] is not None]
        assert done.code == 0 and taken_in(root) == sorted(known), (done.out, done.err)


@pytest.mark.parametrize("name", NOT_A_TABLE)
def test_what_is_no_table_is_refused(root, name):
    (root / "data/metrics.csv").unlink(missing_ok=True)
    (root / "export.csv").write_bytes(NOT_A_TABLE[name])
    done = run_tavolan("import", "export.csv", cwd=root)
    assert done.code in (2, 3) and taken_in(root) is None and "fault of its own" not in done.err


def test_there_are_enough_of_them():
    assert len(VARIANTS) + len(BY_DAY) + len(NOT_A_TABLE) >= 120
