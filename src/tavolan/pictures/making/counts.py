"""How many pictures of each locale and store are made, and how many would be made again."""

from contextlib import closing

from tavolan.pictures.making.ledger import Ledger
from tavolan.pictures.making.planner import Planner, Selection
from tavolan.project.model import Project
from tavolan.project.picture_records import PictureCounts, finished


def count_pictures(project: Project) -> dict[tuple[str, str], PictureCounts]:
    """Return the counts by locale and store. Pictures whose screen is missing count in the total alone."""
    found: dict[tuple[str, str], list[int]] = {}
    for store in project.stores.values():
        for tag in store.locales:
            total = sum(len(project.shots_for(name, tag)) for name in project.classes_of(store))
            found[tag, store.id] = [total, 0, 0, 0]
    with closing(Ledger(project.root, write=False)) as ledger:
        jobs = [job for job in Planner(project, ledger).possible(Selection()) if job.target.kind == "shot"]
        there = finished(project.root, (job.target.file for job in jobs))
        for job in jobs:
            counts = found[job.target.locale, job.target.store]
            counts[3] += 1
            if ledger.is_current(job):
                counts[1] += 1
            elif job.target.file in there:
                counts[2] += 1
    return {key: PictureCounts(*counts) for key, counts in found.items()}
