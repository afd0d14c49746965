"""Make the pictures of an experiment's variants: only what differs from the present page, a sheet, a pack for each."""

import hashlib
import io
import json
import zipfile
from collections.abc import Callable
from contextlib import closing
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

from tavolan.errors import ProjectError, UsageError
from tavolan.experiments.files import Experiment
from tavolan.experiments.icons import LIST, icon_masters, plan_variant_icons, property_list
from tavolan.experiments.variants import as_variant
from tavolan.experiments.verdicts import CONTROL
from tavolan.pictures.making.job import Job
from tavolan.pictures.making.ledger import Ledger
from tavolan.pictures.making.planner import Planner, Selection
from tavolan.pictures.making.workers import make_pictures
from tavolan.pictures.outputs.icons import Icon, make_icons
from tavolan.pictures.outputs.packs import add_entry
from tavolan.pictures.outputs.variant_sheet import SheetRow, draw_variants
from tavolan.project.model import ICON, Project
from tavolan.support.files import delete_inside, read_bytes, write_inside
from tavolan.support.transaction import writing

SCHEMA = "tavolan/variant@1"
_MADE = "made.json"
Place = tuple[str, str, int]


@dataclass(frozen=True)
class BuiltVariant:
    """A variant's pictures: how many were made now, were there already, and are those of the present page."""

    name: str
    made: int
    kept: int
    same: int
    pack: Path | None
    pictures: dict[Place, Path]


@dataclass(frozen=True)
class Built:
    """All variants of an experiment, and the sheets that show them side by side.

    `missing` are pictures of the present page that aren't rendered, or are older than what they're made from. `icons`
    are the files of icons, with the property list that the app needs where they ship inside it.
    """

    variants: list[BuiltVariant]
    sheets: list[Path]
    missing: list[str]
    icons: list[Path]


def build(project: Project, one: Experiment, progress: Callable[[int, int | None], None] | None = None) -> Built:
    """Make what differs, under `out/experiments/<id>/`.

    Raises UsageError without a variant, ProjectError with every caption, screen and icon that can't be used, before
    anything is painted. Where only icons differ, no picture of the page is made.
    """
    if not one.table.variant:
        raise UsageError(f"{one.id} has no variant", f"Write [variant.<name>] into {one.address}.")
    store = one.table.store
    wanted = Selection((store,), tuple(one.table.locales or project.stores[store].locales))
    folder = f"out/experiments/{one.id}"
    icons = plan_variant_icons(project, one, folder)
    with writing(project.root, "out"), closing(Ledger(project.root, write=False)) as ledger:
        icon_files = _make_icons(project, one, icons, folder)
        pictured = any(variant.changes_page for variant in one.table.variant.values())
        control = {_place(job): job for job in Planner(project, ledger).possible(wanted)} if pictured else {}
        there = {
            place: project.root / ledger.records[job.target.file].path
            for place, job in control.items()
            if ledger.is_current(job)
        }
        missing = [job.target.file for place, job in control.items() if place not in there]
        by_key = {control[place].key: path for place, path in there.items()}
        known = _known(project.root, folder)
        planned = {
            name: Planner(as_variant(project, store, variant), ledger) for name, variant in one.table.variant.items()
        }
        jobs = {name: planner.jobs(wanted) if pictured else [] for name, planner in planned.items()}
        control_keys = {job.key for job in control.values()}
        todo: dict[str, list[Job]] = {}
        for name, own in jobs.items():
            differing = [_moved(job, f"{folder}/{name}") for job in own if job.key not in control_keys]
            todo[name] = [job for job in differing if not _is_made(project.root, known, job)]
        _paint(project.root, planned, todo, known, progress)
        variants = [
            _finish(project, one, folder, name, jobs[name], todo[name], known, by_key, icons.get(name, []))
            for name in jobs
        ]
        files = {f"{folder}/{variant.name}" for variant in variants}
        kept = {file: record for file, record in known.items() if file.rsplit("/", 3)[0] in files}
        write_inside(project.root, f"{folder}/{_MADE}", json.dumps(kept, indent=1, sort_keys=True).encode())
        sheets = _sheets(project, one, folder, control, there, variants)
        if icons:
            sheets.append(_icon_sheet(project, one, folder))
        wanted_files = {*sheets, *icon_files, project.root / folder / _MADE}
        wanted_files |= {path for variant in variants for path in (*variant.pictures.values(), variant.pack) if path}
        _delete_strays(project.root, folder, wanted_files)
    return Built(variants, sheets, missing, icon_files)


def _paint(
    root: Path,
    planned: dict[str, Planner],
    todo: dict[str, list[Job]],
    known: dict[str, dict[str, str]],
    progress: Callable[[int, int | None], None] | None,
) -> None:
    """Make the pictures of all variants, and note each in `known`."""
    in_all, done = sum(map(len, todo.values())), 0
    for name, own in todo.items():
        planned[name].check_showcase(own)
        for job, painted, problems in make_pictures(root, own, planned[name].fitter.setters):
            if problems:
                raise ProjectError(problems)
            if painted is not None:
                known[job.target.file] = {"key": job.key, "path": painted.facts.path}
            done += 1
            if progress:
                progress(done, in_all)


def _make_icons(project: Project, one: Experiment, icons: dict[str, list[Icon]], folder: str) -> list[Path]:
    """Write the icons, and the property list where the app needs one."""
    files = make_icons(project, [icon for several in icons.values() for icon in several])
    listed = property_list(project, one)
    if listed is not None:
        write_inside(project.root, f"{folder}/icons/{LIST}", listed)
        files.append(project.root / folder / "icons" / LIST)
    return files


def _delete_strays(root: Path, folder: str, wanted: set[Path]) -> None:
    """Delete what was made before and is no longer asked for."""
    for path in (root / folder).rglob("*.*"):
        if path.is_file() and path not in wanted:
            delete_inside(root, path.relative_to(root).as_posix())


def _place(job: Job) -> Place:
    return job.target.place, job.target.locale, job.target.number


def _moved(job: Job, folder: str) -> Job:
    """Return a job whose picture goes into a variant's folder."""
    target = job.target
    file = f"{folder}/{target.place}/{target.locale}/{target.number:02d}-{target.name}.png"
    return replace(job, target=replace(target, file=file))


def _known(root: Path, folder: str) -> dict[str, dict[str, str]]:
    """Return what was made before, by file; nothing where that can't be read."""
    path = root / folder / _MADE
    if not path.is_file():
        return {}
    try:
        found = json.loads(read_bytes(path, f"{folder}/{_MADE}"))
    except ValueError:
        # It's made anew then: it only spares work.
        return {}
    records = found.items() if isinstance(found, dict) else ()
    return {file: one for file, one in records if isinstance(one, dict) and {"key", "path"} <= set(one)}


def _is_made(root: Path, known: dict[str, dict[str, str]], job: Job) -> bool:
    record = known.get(job.target.file)
    return record is not None and record["key"] == job.key and (root / record["path"]).is_file()


def _finish(
    project: Project,
    one: Experiment,
    folder: str,
    name: str,
    jobs: list[Job],
    made: list[Job],
    known: dict[str, dict[str, str]],
    by_key: dict[str, Path],
    icons: list[Icon],
) -> BuiltVariant:
    """Say what became of each place of a variant, and pack it."""
    pictures: dict[Place, Path] = {}
    own: set[Path] = set()
    for job in jobs:
        record = known.get(_moved(job, f"{folder}/{name}").target.file)
        if record and record["key"] == job.key:
            pictures[_place(job)] = project.root / record["path"]
            own.add(pictures[_place(job)])
        elif job.key in by_key:
            pictures[_place(job)] = by_key[job.key]
    pack = None
    if len(pictures) == len(jobs):
        pack = project.root / f"{folder}/{name}.zip"
        write_inside(project.root, f"{folder}/{name}.zip", _packed(project, one, name, jobs, pictures, icons))
    return BuiltVariant(name, len(made), len(own) - len(made), len(jobs) - len(own), pack, pictures)


def _packed(
    project: Project, one: Experiment, name: str, jobs: list[Job], pictures: dict[Place, Path], icons: list[Icon]
) -> bytes:
    """Return a zip of a variant's pictures in the store's own codes and its icons, with a manifest and its texts."""
    book = project.stores[one.table.store].rulebook
    entries: list[dict[str, Any]] = []
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_STORED) as archive:
        for job in jobs:
            path = pictures[_place(job)]
            data = read_bytes(path, path.relative_to(project.root).as_posix())
            code = book.store_code(job.target.locale) or job.target.locale
            file = f"{job.target.place}/{code}/{job.target.number:02d}-{job.target.name}{path.suffix}"
            entries.append({"file": file, **_sums(data), "key": job.key})
            add_entry(archive, file, data)
        for icon in icons:
            data = read_bytes(project.root / icon.file, icon.file)
            file = f"icons/{Path(icon.file).name}"
            entries.append({"file": file, **_sums(data)})
            add_entry(archive, file, data)
        manifest = {
            "schema": SCHEMA,
            "experiment": one.id,
            "variant": name,
            "store": one.table.store,
            "texts": one.table.variant[name].texts,
            "files": entries,
        }
        add_entry(archive, "manifest.json", json.dumps(manifest, ensure_ascii=False, indent=1).encode())
    return out.getvalue()


def _sums(data: bytes) -> dict[str, Any]:
    return {"bytes": len(data), "sha256": hashlib.sha256(data).hexdigest()}


def _mark(path: Path | None, present: Path | None, there: dict[Place, Path]) -> str:
    """Return what's other in a place than on the present page."""
    if path == present:
        return ""
    return "moved" if path in there.values() else "differs"


def _sheets(
    project: Project,
    one: Experiment,
    folder: str,
    control: dict[Place, Job],
    there: dict[Place, Path],
    variants: list[BuiltVariant],
) -> list[Path]:
    """Write a sheet per size class and locale: the control above, a row for each variant."""
    shots = [job for job in control.values() if job.target.kind == "shot"]
    files: list[Path] = []
    for at in dict.fromkeys((job.target.place, job.target.locale) for job in shots):
        own = [place for place, job in control.items() if place[:2] == at and job.target.kind == "shot"]
        size = control[own[0]].setting.size
        rows = [SheetRow(CONTROL, "the present page", [there.get(place) for place in own], [""] * len(own))]
        for variant in variants:
            paths = [variant.pictures.get(place) for place in own]
            marks = [_mark(path, there.get(place), there) for path, place in zip(paths, own, strict=True)]
            rows.append(SheetRow(variant.name, "", paths, marks))
        title = f"{project.app.name}  ·  {one.id}  ·  {' '.join(at)}"
        shown = f"{folder}/sheet-{at[0]}-{at[1]}.png"
        write_inside(project.root, shown, draw_variants(project.root, title, one.table.hypothesis, rows, size))
        files.append(project.root / shown)
    return files


def _icon_sheet(project: Project, one: Experiment, folder: str) -> Path:
    """Write a sheet of the present icon and those of the variants."""
    present = project.root / ICON
    rows = [SheetRow(CONTROL, "the present icon", [present if present.is_file() else None], [""])]
    for name, master in icon_masters(one).items():
        rows.append(SheetRow(name, master, [project.root / master], [""]))
    title = f"{project.app.name}  ·  {one.id}  ·  icons"
    shown = f"{folder}/sheet-icons.png"
    write_inside(project.root, shown, draw_variants(project.root, title, one.table.hypothesis, rows, (1, 1)))
    return project.root / shown
