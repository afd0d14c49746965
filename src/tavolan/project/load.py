"""Load a project folder into one validated model, or report every problem at once."""

from dataclasses import replace
from pathlib import Path
from typing import Any, TypeVar

from pydantic import BaseModel, ValidationError

from tavolan.errors import Problem, ProjectError, nearest, one_problem
from tavolan.languages.tags import language_of
from tavolan.project.approval_file import read_approvals
from tavolan.project.copyfile import CopyReader
from tavolan.project.model import Copy, Project, Source, Store, Term
from tavolan.project.schema import FORMS, Config, Shots, StoreTable
from tavolan.project.seasons import season_faults
from tavolan.project.state import State, read_state
from tavolan.project.tables import Tables
from tavolan.project.termsfile import read_terms
from tavolan.project.video_schema import VideoFile
from tavolan.rulebooks.load import load_rulebooks
from tavolan.rulebooks.model import Rulebook
from tavolan.support.containment import contain
from tavolan.support.toml_file import read_toml
from tavolan.support.validation import problems_of

CONFIG, SHOTS, VIDEO = "tavolan.toml", "shots.toml", "video.toml"
M = TypeVar("M", bound=BaseModel)


def find_root(start: Path) -> Path:
    """Return the nearest folder, from `start` upwards, that holds `tavolan.toml`."""
    start = start.resolve()
    if not start.exists():
        raise one_problem(start, None, "", "isn't there", "Check the name of the project's folder.")
    for folder in (start, *start.parents):
        if (folder / CONFIG).is_file():
            contain(folder)
            return folder
    raise one_problem(
        start, None, "", f"is no project: there's no {CONFIG} here or above", "Start one with: tavolan new DIR"
    )


def load_project(root: Path) -> Project:
    """Load the project at `root`. Raises ProjectError with all problems of all files at once."""
    contain(root)
    problems: list[Problem] = []
    if not (root / CONFIG).is_file():
        raise one_problem(
            root, None, "", f"is no project: there's no {CONFIG} in it", "Start one with: tavolan new DIR"
        )
    config, config_source = read_model(root / CONFIG, CONFIG, Config, problems)
    books, rule_problems = load_rulebooks(root)
    problems += rule_problems
    # What a rulebook that can't be read would allow isn't known: nothing is said against it then.
    known_rules = not rule_problems
    read_shots, shots_source = _read_if_there(root, SHOTS, Shots, problems)
    video, video_source = _read_if_there(root, VIDEO, VideoFile, problems)
    shots = read_shots or Shots()
    items = list(config.app.items) if config else None
    reader = CopyReader(books, list(config.store) if config else list(books), items, known_rules)
    copy: dict[str, Copy] = {}
    for path in sorted((root / "copy").glob("*.toml")):
        if read := reader.read(path):
            copy[read.locale] = read
    problems += reader.problems
    terms = {path.stem: read_terms(path, problems) for path in sorted((root / "terms").glob("*.csv"))}
    state, approvals = read_state(root, problems), read_approvals(root, problems)
    _check_names(shots, shots_source, problems)
    if known_rules:
        _check_regions(shots, shots_source, books, problems)
    if config is None:
        raise ProjectError(problems)
    stores = _stores(config, config_source, books, problems)
    if known_rules:
        _check_once(config, config_source, books, problems)
    _check_copy(config, config_source, copy, root, problems)
    for name in config.console:
        if name not in config.store:
            line = config_source.line(("console", name))
            remedy = nearest(name, config.store)
            problems.append(Problem(CONFIG, line, f"console.{name}", "is for no store of this project", remedy))
    if problems:
        raise ProjectError(problems)
    project = _assemble(root, config, config_source, stores, copy, terms, shots, shots_source, state)
    project = replace(project, video=video, video_source=video_source, approvals=approvals)
    if project.seasons and (faults := list(season_faults(project))):
        raise ProjectError(faults)
    return project


def _assemble(
    root: Path,
    config: Config,
    config_source: Source,
    stores: dict[str, Store],
    copy: dict[str, Copy],
    terms: dict[str, list[Term]],
    shots: Shots,
    shots_source: Source,
    state: State,
) -> Project:
    ordered = {tag: copy[tag] for tag in config.app.locales if tag in copy}
    for tag, own in ordered.items():
        if own.data.get("like") in ordered:
            ordered[tag] = replace(own, parent=ordered[own.data["like"]])
    return Project(
        root=root,
        tables=Tables(root),
        app=config.app,
        once=config.once,
        guard=config.guard,
        check=config.check,
        config_source=config_source,
        stores=stores,
        copy=ordered,
        terms=terms,
        shots=shots,
        shots_source=shots_source,
        find_origins=_find_origins,
        state=state,
        words=config.words,
        results=config.results,
        next=config.next,
        seasons=tuple(config.season),
        providers=config.provider,
        consoles=config.console,
        translate=config.translate,
    )


def _read_if_there(root: Path, name: str, model: type[M], problems: list[Problem]) -> tuple[M | None, Source]:
    return read_model(root / name, name, model, problems) if (root / name).exists() else (None, Source(name, ""))


def _find_origins(project: Project) -> State:
    # Calls git, which most commands don't need.
    from tavolan.project.origins import find_origins

    return find_origins(project)


def read_model(path: Path, shown: str, model: type[M], problems: list[Problem]) -> tuple[M | None, Source]:
    """Return a TOML file as a model; None where it can't be read, whose faults are added to `problems`."""
    try:
        data, text = read_toml(path, shown)
    except ProjectError as error:
        problems += error.problems
        return None, Source(shown, "")
    return as_model(data, Source(shown, text), model, problems), Source(shown, text)


def as_model(data: dict[str, Any], source: Source, model: type[M], problems: list[Problem]) -> M | None:
    """Return the data of a TOML file as a model; None where they have faults, which are added to `problems`."""
    try:
        return model.model_validate(data)
    except ValidationError as error:
        problems += problems_of(error, source.shown, source.text, model)
        return None


def _stores(config: Config, source: Source, books: dict[str, Rulebook], problems: list[Problem]) -> dict[str, Store]:
    stores = {}
    for name, table in config.store.items():
        key = ("store", name)
        if name not in books:
            if not any(problem.path == f"rules/{name}.toml" for problem in problems):
                message = "has no rulebook"
                remedy = f"{nearest(name, books)} Or write your own rulebook as rules/{name}.toml."
                problems.append(Problem(source.shown, source.line(key), f"store.{name}", message, remedy))
            continue
        locales = tuple(table.locales if table.locales is not None else config.app.locales)
        if not any(problem.path == f"rules/{name}.toml" for problem in problems):
            _check_store(config, table, locales, books[name], source, problems)
        stores[name] = Store(books[name], table, locales, table.default_locale or config.app.source)
    return stores


def _check_once(config: Config, source: Source, books: dict[str, Rulebook], problems: list[Problem]) -> None:
    """Report what's written once and is a field of no store."""
    known = [key for name in config.store if name in books for key in books[name].fields]
    for key in config.once:
        if key not in known:
            line = source.line(("once", key))
            remedy = nearest(key, known)
            problems.append(Problem(source.shown, line, f"once.{key}", "is no field of any store here", remedy))


def _check_store(
    config: Config,
    table: StoreTable,
    locales: tuple[str, ...],
    book: Rulebook,
    source: Source,
    problems: list[Problem],
) -> None:
    lists = {
        "locales": (locales, config.app.locales, "isn't among the locales of [app]"),
        "default_locale": ((table.default_locale,) if table.default_locale else (), locales, "isn't among its locales"),
        "storefronts": (
            table.storefronts or (),
            book.storefronts.reads,
            f"isn't a storefront of the {book.id} rulebook",
        ),
        "classes": (table.classes or (), book.classes, f"isn't a size class of the {book.id} rulebook"),
        "once": (
            table.once,
            [key for key, r in book.fields.items() if r.scope in ("once", "locale")],
            "isn't a field of this store",
        ),
    }
    for key, (given, known, message) in lists.items():
        for item in given:
            if item not in known:
                path = ("store", book.id, key, item) if key == "once" else ("store", book.id, key)
                remedy = nearest(item, known)
                problems.append(
                    Problem(source.shown, source.line(path), f"store.{book.id}.{key}", f'"{item}" {message}', remedy)
                )


def _check_copy(config: Config, source: Source, copy: dict[str, Copy], root: Path, problems: list[Problem]) -> None:
    at = source.line(("app", "locales"))
    if config.app.source not in config.app.locales:
        message = f'doesn\'t hold the source locale "{config.app.source}"'
        problems.append(Problem(source.shown, at, "app.locales", message, "Add it to the list."))
    for tag in config.app.locales:
        if config.app.locales.count(tag) > 1:
            problems.append(Problem(source.shown, at, "app.locales", f'lists "{tag}" twice', "Delete one."))
        if tag not in copy and not (root / "copy" / f"{tag}.toml").exists():
            remedy = f'Create it (an empty file will do), or take "{tag}" out of locales.'
            problems.append(Problem(f"copy/{tag}.toml", None, "", "is missing: tavolan.toml lists this locale", remedy))
    for tag, own in copy.items():
        _check_like(tag, own, copy, root, problems)
        if tag not in config.app.locales:
            remedy = f'Add "{tag}" to locales in tavolan.toml, or move the file away.'
            problems.append(Problem(f"copy/{tag}.toml", None, "", "isn't used: tavolan.toml doesn't list it", remedy))


def _check_like(tag: str, own: Copy, copy: dict[str, Copy], root: Path, problems: list[Problem]) -> None:
    """Report a `like` that names no locale, itself, another language, or a locale that is itself like another."""
    like = own.data.get("like")
    if like is None or (isinstance(like, str) and like not in copy and (root / "copy" / f"{like}.toml").exists()):
        # One that is there and can't be read has a problem of its own.
        return
    message = remedy = ""
    if not isinstance(like, str) or like not in copy:
        message, remedy = f'"{like}" is no locale of this project', nearest(str(like), [t for t in copy if t != tag])
    elif like == tag:
        message, remedy = "names its own locale", "Name another locale of the same language."
    elif language_of(like) != language_of(tag):
        message = f"{like} is another language: what it lends would hide a missing translation"
        remedy = "Only locales of one language can be like each other."
    elif "like" in copy[like].data:
        message, remedy = f"{like} is itself like {copy[like].data['like']}", "Name that one instead."
    if message:
        problems.append(Problem(own.source.shown, own.source.line(("like",)), "like", message, remedy))


def _check_names(shots: Shots, source: Source, problems: list[Problem]) -> None:
    seen: set[str] = set()
    for index, shot in enumerate([*shots.shot, *shots.graphic]):
        if shot.name in seen:
            at = index - len(shots.shot)
            line = source.line(("shot", index, "name") if at < 0 else ("graphic", at, "name"))
            problems.append(Problem(source.shown, line, f"shot.{shot.name}", "has a name that's taken", "Rename one."))
        seen.add(shot.name)
    names = [shot.name for shot in shots.shot]
    for index, order in enumerate(shots.order):
        for name in (name for name in order.shots if name not in names):
            line = source.line(("order", index, "shots"))
            problems.append(Problem(source.shown, line, "order.shots", f'"{name}" is no shot', nearest(name, names)))


def _check_regions(shots: Shots, source: Source, books: dict[str, Rulebook], problems: list[Problem]) -> None:
    """Report regions that are for no size class or form, and size classes of shots that don't exist."""
    classes = sorted({name for book in books.values() for name in book.classes})
    known = [*FORMS, *classes]
    for index, shot in enumerate(shots.shot):
        for name in (name for name in shot.classes if name not in classes):
            line = source.line(("shot", index, "classes"))
            where = f"shot.{shot.name}.classes"
            problems.append(Problem(source.shown, line, where, f'"{name}" is no size class', nearest(name, classes)))
    for index, order in enumerate(shots.order):
        if order.device and order.device not in classes:
            line = source.line(("order", index, "device"))
            remedy = nearest(order.device, classes)
            problems.append(Problem(source.shown, line, "order.device", f'"{order.device}" is no size class', remedy))
    for kind, pictures in (("shot", shots.shot), ("graphic", shots.graphic)):
        for index, picture in enumerate(pictures):
            for key in (key for key in picture.regions if key not in known):
                line = source.line((kind, index, "regions", key))
                where = f"{kind}.{picture.name}.regions"
                problems.append(
                    Problem(source.shown, line, where, f'"{key}" is no size class or form', nearest(key, known))
                )
