"""Pack a store's finished pictures into one zip with a manifest: sizes, checksums, and what each was made from."""

import hashlib
import json
import zipfile
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from tavolan.errors import Problem, ProjectError, UsageError
from tavolan.pictures.making.job import Job
from tavolan.pictures.making.ledger import Ledger
from tavolan.pictures.making.planner import Planner, Selection
from tavolan.pictures.outputs.pack_sets import PackedPicture, pack_sets
from tavolan.project.model import Project
from tavolan.support.files import drafted, inside, read_bytes
from tavolan.support.image_headers import image_facts

SCHEMA = "tavolan/pack@1"
_REMEDY = "Write them, or pack what's ready: --ready"
# The earliest time that a zip can hold: packs of the same pictures are the same bytes.
_TIME = (1980, 1, 1, 0, 0, 0)


@dataclass(frozen=True)
class Packed:
    """A pack, how many pictures are in it, and what it lacks: files by the reason, in words."""

    file: Path
    pictures: int
    gaps: dict[str, str]


def make_packs(
    project: Project,
    stores: tuple[str, ...] = (),
    progress: Callable[[int, int], None] | None = None,
    *,
    locales: tuple[str, ...] = (),
    ready: bool = False,
    unready: Mapping[str, str] | None = None,
) -> list[Packed]:
    """Write `out/packs/<store>.zip` for every store, of all locales or of some.

    `unready` says why the pictures of some locales can't go out. Raises ProjectError for such a locale, and when a
    picture is missing or was made from something that has changed since; with `ready`, what's up to date is packed, and
    the rest is listed as gaps.
    """
    ledger = Ledger(project.root, write=False)
    try:
        planner = Planner(project, ledger)
        wanted = Selection(stores=stores, locales=locales)
        planned = planner.possible(wanted) if ready else planner.jobs(wanted)
        names = project.pick("--store", list(stores), list(project.stores))
        tags = project.pick("--locale", list(locales), project.app.locales)
        handed = {
            store: pack_sets(project, store, tags, [job for job in planned if job.target.store == store])
            for store in names
        }
        jobs = [picture.job for sets in handed.values() for picture in sets if picture.job]
        if not planner.problems and not any(handed.values()):
            raise UsageError("there are no pictures to pack: shots.toml has no [[shot]].")
        reasons = _reasons(jobs, unready or {}, ledger)
        if reasons and not ready:
            raise ProjectError(_problems(jobs, reasons, unready or {}))
        packs = []
        for done, store in enumerate(names, 1):
            mine = [job for job in jobs if job.target.store == store]
            own = [each for each in handed[store] if each.job is None or each.job.target.file not in reasons]
            gaps = {job.target.file: reasons[job.target.file] for job in mine if job.target.file in reasons}
            gaps |= {problem.path: problem.message for problem in planner.problems}
            target = project.root / "out" / "packs" / f"{store}.zip"
            if own:
                inside(project.root, target.relative_to(project.root))
                with drafted(target) as draft:
                    _zip(draft, project, own, ledger, store)
            packs.append(Packed(target, len(own), gaps))
            if progress:
                progress(done, len(names))
        return packs
    finally:
        ledger.close()


def _reasons(jobs: list[Job], unready: Mapping[str, str], ledger: Ledger) -> dict[str, str]:
    """Return why pictures can't go out, by their file: their locale isn't ready, or they aren't up to date."""
    reasons = {job.target.file: why for job in jobs if (why := unready.get(job.target.locale, ""))}
    stale = [job for job in jobs if job.target.file not in reasons and not ledger.is_current(job)]
    return reasons | {job.target.file: ledger.why(job) for job in stale}


def _problems(jobs: list[Job], reasons: Mapping[str, str], unready: Mapping[str, str]) -> list[Problem]:
    """Return what keeps pictures from going out: the first that isn't up to date, and each locale that isn't ready."""
    held = [job for job in jobs if job.target.file in reasons]
    closed = dict.fromkeys(job.target.locale for job in held if job.target.locale in unready)
    problems = [Problem(f"copy/{tag}.toml", None, "", unready[tag], _REMEDY) for tag in closed]
    stale = [job.target.file for job in held if job.target.locale not in unready]
    if not stale:
        return problems
    message = f"isn't up to date ({reasons[stale[0]]})" + (f", nor are {len(stale) - 1} more" if len(stale) > 1 else "")
    remedy = "Make them with: tavolan shots render. Or pack what's ready: --ready"
    return [Problem(stale[0], None, "", message, remedy), *problems]


def _zip(file: Path, project: Project, pictures: list[PackedPicture], ledger: Ledger, store: str) -> None:
    entries: list[dict[str, Any]] = []
    with zipfile.ZipFile(file, "w", zipfile.ZIP_STORED) as archive:
        for picture in pictures:
            path = picture.path or project.root / ledger.records[picture.file].path
            data = read_bytes(path, path.relative_to(project.root).as_posix())
            # In the pack, a locale's folder has the store's own code.
            code = project.stores[store].rulebook.store_code(picture.locale) or picture.locale
            place = f"{picture.folder}/{code}/{picture.stem}{path.suffix}"
            entries.append(_entry(picture, place, data, path))
            add_entry(archive, place, data)
        for path in sorted((project.root / "out" / "icons" / store).rglob("*.png")):
            place = "icons/" + path.relative_to(project.root / "out" / "icons" / store).as_posix()
            data = read_bytes(path, path.relative_to(project.root).as_posix())
            entries.append({"file": place, "bytes": len(data), "sha256": hashlib.sha256(data).hexdigest()})
            add_entry(archive, place, data)
        codes = {tag: project.stores[store].rulebook.store_code(tag) for tag in project.stores[store].locales}
        manifest = {
            "schema": SCHEMA,
            "store": store,
            "app": project.app.name,
            "version": project.app.version,
            "locales": codes,
            "files": entries,
        }
        add_entry(archive, "manifest.json", json.dumps(manifest, ensure_ascii=False, indent=1).encode())


def _entry(picture: PackedPicture, place: str, data: bytes, path: Path) -> dict[str, Any]:
    facts, job = image_facts(path), picture.job
    entry = {
        "file": place,
        "bytes": len(data),
        "sha256": hashlib.sha256(data).hexdigest(),
        "width": facts.width if facts else 0,
        "height": facts.height if facts else 0,
        "kind": picture.kind,
        "place": picture.place,
        "locale": picture.locale,
        "order": picture.number,
        "name": picture.name,
    }
    if job is None:
        return entry
    return entry | {
        "caption": job.caption,
        "screens": {use.path: use.digest for use in job.screens},
        "key": job.key,
    }


def add_entry(archive: zipfile.ZipFile, name: str, data: bytes) -> None:
    """Add a file to a pack: the same files make the same bytes, whenever they're packed."""
    info = zipfile.ZipInfo(name, _TIME)
    info.external_attr = 0o644 << 16
    info.compress_type = zipfile.ZIP_DEFLATED if name.endswith(".json") else zipfile.ZIP_STORED
    archive.writestr(info, data)
