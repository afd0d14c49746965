"""Tables that show a rulebook."""

from rich.console import Console

from tavolan.reports.styled import SafeText, styled
from tavolan.reports.tables import plain_table
from tavolan.rulebooks.model import FieldRule, Rulebook, SizeClass
from tavolan.support.number_words import counted

_NEEDS = {"never": "no", "always": "yes", "update": "from the 2nd version on", "items": "if there are items"}


def _need(required: str) -> str:
    return _NEEDS.get(required) or f"if it runs on {required.removeprefix('form:')}"


def _sizes(sizes: tuple[tuple[int, int], ...]) -> str:
    return ", ".join(f"{width}×{height}" for width, height in sizes)


def _formats(formats: tuple[str, ...]) -> str:
    return " or ".join(name.upper() for name in formats)


def _limit(rule: FieldRule) -> str:
    parts = []
    if rule.max is not None or rule.min:
        span = f"{rule.min or 0} to {rule.max}" if rule.max is not None else f"{rule.min} or more"
        parts.append(f"{span} {rule.unit}")
    if rule.max_items is not None:
        parts.append(f"{rule.min_items} to {rule.max_items} entries")
    if rule.item_max is not None:
        parts.append(f"{rule.item_max} {rule.unit} each")
    return ", ".join(parts)


def print_list(console: Console, books: dict[str, Rulebook], own: set[str]) -> None:
    """Print all rulebooks, one a line."""
    table = plain_table("rulebook", "what", "fields", "size classes", "locales", "as of", "confidence", "from")
    for book in books.values():
        origin = "rules/" if book.id in own else "shipped"
        codes = len(book.locales.codes) + len(book.locales.low_confidence_codes)
        table.add_row(
            SafeText(book.id, "bold"),
            book.name,
            str(len(book.fields)),
            str(len(book.classes)),
            str(codes),
            book.as_of,
            book.confidence,
            origin,
        )
    console.print(table)
    console.print(
        styled("\n[dim]One in full: tavolan rules show ios. A number is wrong? Put it right in rules/ios.toml.[/]")
    )


def print_rulebook(console: Console, book: Rulebook) -> None:
    """Print one rulebook as tables."""
    console.print(styled("[bold]{}[/]  {}", book.id, book.name))
    console.print(
        styled("[dim]as of {}, from {}; lengths in {}[/]\n", book.as_of, book.source or "your project", book.unit)
    )
    table = plain_table("field", "limit", "required", "search", "confidence", "what", title="Text and facts")
    for key, rule in book.fields.items():
        name = key if rule.scope == "locale" else styled("{} [dim]({})[/]", key, rule.scope)
        rank = str(rule.search) if rule.search else ""
        table.add_row(name, _limit(rule), _need(rule.required), rank, book.confidence_of(rule), rule.what)
    console.print(table)
    console.print(styled("[dim]search: 1 weighs most. (once): written once for all locales.[/]"))
    for key, rule in book.fields.items():
        if rule.parts:
            answers = f"; each {', '.join(rule.choices)}" if rule.choices else ""
            console.print(styled("[dim]{}:[/] {}[dim]{}[/]", key, ", ".join(rule.parts), answers))
    console.print()
    _print_pictures(console, book)
    codes = ", ".join(book.locales.codes)
    console.print(styled("\n[bold]Locales[/] [dim]({})[/]\n{}", counted(len(book.locales.codes), "code"), codes))
    if book.locales.low_confidence_codes:
        console.print(styled("[dim]confidence low:[/] {}", ", ".join(book.locales.low_confidence_codes)))
    if book.locales.map:
        pairs = ", ".join(f"{tag} → {code}" for tag, code in book.locales.map.items())
        console.print(styled("[dim]a project's tag → the store's code:[/] {}", pairs))
    table = plain_table("storefront", "search reads", title="\nStorefronts")
    for code, tags in book.storefronts.reads.items():
        cell = SafeText(", ".join(tags))
        if book.storefronts.default_locale_too:
            cell.append(", " if tags else "").append("the default locale", "dim")
        table.add_row(code, cell)
    console.print(table)
    places = ", ".join(book.storefronts.confidence_by_place)
    console.print(styled("[dim]confidence from the first locale on: {}[/]", places))


def _class_need(size_class: SizeClass) -> str:
    if size_class.one_of:
        return f"one of the {size_class.one_of}"
    return f"if it runs on {size_class.form}" if size_class.required == "form" else _need(size_class.required)


def _print_pictures(console: Console, book: Rulebook) -> None:
    table = plain_table(
        "size class",
        "sizes, the first is rendered",
        "turned",
        "count",
        "required",
        "falls back to",
        title="Screenshots",
    )
    for name, size_class in book.classes.items():
        least = size_class.min_count if size_class.min_count is not None else book.pictures.min_count
        most = size_class.max_count or book.pictures.max_count
        table.add_row(
            name,
            _sizes(size_class.sizes),
            size_class.turn.replace("both", "either way"),
            f"{least} to {most}",
            _class_need(size_class),
            size_class.falls_back or "",
        )
    console.print(table)
    rule = book.pictures
    facts = [_formats(rule.formats), "alpha allowed" if rule.alpha else "no alpha"]
    if rule.min_side and rule.max_side:
        facts.append(f"each side {rule.min_side} to {rule.max_side} px")
    if rule.max_ratio:
        facts.append(f"long side at most {rule.max_ratio:g}× the short side")
    if rule.max_megabytes:
        facts.append(f"at most {rule.max_megabytes:g} MB")
    if rule.accepts:
        facts.append(f"accepted either way round: {_sizes(rule.accepts)}")
    console.print(styled("[dim]{}[/]\n", "; ".join(facts)))
    table = plain_table("graphic", "sizes", "formats", "alpha", "at most", "required", "what", title="Other graphics")
    for name, graphic in book.graphics.items():
        alpha = {True: "allowed", False: "no", None: ""}[graphic.alpha]
        most_mb = f"{graphic.max_megabytes:g} MB" if graphic.max_megabytes else ""
        formats = _formats(graphic.formats)
        table.add_row(name, _sizes(graphic.sizes), formats, alpha, most_mb, _need(graphic.required), graphic.what)
    console.print(table)
    if book.video:
        given = {key: value for key, value in book.video.model_dump(exclude_none=True).items() if value}
        sizes = given.pop("sizes", {})
        lines = [f"{key.replace('_', ' ')}: {', '.join(v) if isinstance(v, tuple) else v}" for key, v in given.items()]
        console.print(styled("\n[bold]Video[/]\n{}", "; ".join(lines)))
        if sizes:
            console.print(SafeText(", ".join(f"{name} {w}×{h}" for name, (w, h) in sizes.items()), "dim"))
