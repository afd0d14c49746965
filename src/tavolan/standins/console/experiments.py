"""Experiments: started, counted day by day and stopped. What each variant does is seeded, or given by the manners."""

import random
import time
from datetime import date, timedelta
from typing import Any

from fastapi import APIRouter

from tavolan.consoles.protocol import Experiment, ExperimentCount, NewExperiment, Page
from tavolan.standins.console.back_office import RefusedError
from tavolan.standins.console.desk import PAGE, After, AppId, Desk, IdempotencyKey, NameInPath, paged
from tavolan.standins.console.state import Kept

CONTROL = "control"
_LONGEST, _A_DAY, _SHARE = 90, 1200, 0.24


def add_routes(router: APIRouter, desk: Desk) -> None:
    """Add the endpoints."""
    state = desk.state

    @router.get("/apps/{app}/experiments", tags=["experiments"])
    def list_experiments(app: AppId, after: After = "") -> Page[Experiment]:
        """Return all experiments."""
        desk.record(app)
        return paged(state.all("experiment", app, after, PAGE + 1), lambda kept: _experiment(desk, kept))

    @router.post("/apps/{app}/experiments", tags=["experiments"])
    def start_experiment(app: AppId, new: NewExperiment, idempotency_key: IdempotencyKey) -> Experiment:
        """Start an experiment; a store may take one at a time, and so many variants."""

        def make() -> Experiment:
            most = desk.limits(app).experiment_variants
            if not most:
                raise RefusedError(409, "no-experiments", "this store takes no experiments")
            if len(new.variants) > most:
                raise RefusedError(422, "not-valid", f"an experiment has at most {most} variants")
            if state.get("experiment", app, new.name):
                raise RefusedError(409, "experiment-used", f"there was an experiment {new.name}")
            running = [kept.key for kept in state.all("experiment", app) if _experiment(desk, kept).state == "running"]
            if running:
                raise RefusedError(409, "experiment-running", f"{running[0]} is running")
            value = {**new.model_dump(mode="json"), "begun": time.time(), "stopped": None}
            return _experiment(desk, state.put("experiment", app, new.name, value))

        return desk.once(f"experiment {app} {idempotency_key}", new, make, Experiment)

    @router.post("/apps/{app}/experiments/{name}/stop", tags=["experiments"])
    def stop_experiment(app: AppId, name: NameInPath) -> Experiment:
        """Stop an experiment; one that's stopped already stays as it is."""
        with state.change():
            kept = _kept(desk, app, name)
            days = kept.value["stopped"] if kept.value["stopped"] is not None else _days(desk, kept.value)
            return _experiment(desk, state.put("experiment", app, name, {**kept.value, "stopped": days}))

    @router.get("/apps/{app}/experiments/{name}/counts", tags=["experiments"])
    def list_experiment_counts(app: AppId, name: NameInPath, after: After = "") -> Page[ExperimentCount]:
        """Return what each whole day and variant brought, oldest first."""
        kept = _kept(desk, app, name)
        rows = [Kept(f"{row['day']} {row['variant']}", row, 0) for row in _rows(desk, app, kept.value)]
        return paged([row for row in rows if row.key > after][: PAGE + 1], lambda one: ExperimentCount(**one.value))


def _kept(desk: Desk, app: str, name: str) -> Kept:
    desk.record(app)
    kept = desk.state.get("experiment", app, name)
    if kept is None:
        raise RefusedError(404, "no-experiment", f"there's no experiment {name}")
    return kept


def _days(desk: Desk, value: dict[str, Any]) -> int:
    """Return how many whole days an experiment ran: a day passes in as many seconds as the manners say."""
    if value["stopped"] is not None:
        return int(value["stopped"])
    passed = (time.time() - float(value["begun"])) / desk.manners.day if desk.manners.day else _LONGEST
    return min(int(passed), int(value["days"]), _LONGEST)


def _experiment(desk: Desk, kept: Kept) -> Experiment:
    days = _days(desk, kept.value)
    running = kept.value["stopped"] is None and days < kept.value["days"]
    return Experiment(
        name=kept.key,
        variants=kept.value["variants"],
        start=kept.value["start"],
        state="running" if running else "ended",
        days=days,
    )


def _rows(desk: Desk, app: str, value: dict[str, Any]) -> list[dict[str, Any]]:
    """Return the counts of all days so far; the same for the same experiment, whenever it's asked."""
    rows = []
    sides = [CONTROL, *value["variants"]]
    start = date.fromisoformat(value["start"])
    for variant in sides:
        dice = random.Random(f"{app} {value['name']} {variant}")
        factor = desk.manners.truths.get(variant, 1.0 if variant == CONTROL else dice.choice((0.9, 1.0, 1.0, 1.15)))
        for number in range(_days(desk, value)):
            visitors = round(_A_DAY * value["share"] / len(sides) * dice.uniform(0.97, 1.03))
            hits = sum(dice.random() < _SHARE * factor for _ in range(visitors))
            day = start + timedelta(days=number)
            rows.append({"day": day.isoformat(), "variant": variant, "visitors": visitors, "hits": hits})
    return sorted(rows, key=lambda row: (row["day"], row["variant"]))
