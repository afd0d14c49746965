"""Reports: metrics per day, storefront and source, and reviews with replies. What's there is seeded."""

import re
from datetime import date
from typing import Annotated

from fastapi import APIRouter, Path, Query
from pydantic import BeforeValidator

from tavolan.consoles.protocol import Metric, Page, Reply, Review
from tavolan.standins.console.back_office import RefusedError
from tavolan.standins.console.desk import PAGE, After, AppId, Desk, paged


def _as_written(value: object) -> object:
    """Refuse what isn't written as 2026-11-30: seconds since 1970 would be taken for a day."""
    if isinstance(value, str) and not re.fullmatch(r"\d{4}-\d{2}-\d{2}", value):
        raise ValueError("write a day as 2026-11-30")
    return value


Day = Annotated[date, BeforeValidator(_as_written)]


def add_routes(router: APIRouter, desk: Desk) -> None:
    """Add the endpoints."""
    state = desk.state

    @router.get("/apps/{app}/reports/metrics", tags=["reports"])
    def list_metrics(
        app: AppId,
        since: Annotated[Day | None, Query()] = None,
        until: Annotated[Day | None, Query()] = None,
        after: After = "",
    ) -> Page[Metric]:
        """Return what each day, storefront and source brought; a row that's missing was withheld."""
        desk.record(app)
        start = max(after, f"{since.isoformat()} " if since else "")
        found = state.all("metric", app, start, PAGE + 1)
        kept = [one for one in found if until is None or one.key[:10] <= until.isoformat()]
        return paged(kept, lambda one: Metric.model_validate(one.value))

    @router.get("/apps/{app}/reviews", tags=["reports"])
    def list_reviews(app: AppId, after: After = "") -> Page[Review]:
        """Return the reviews, oldest first."""
        desk.record(app)
        return paged(state.all("review", app, after, PAGE + 1), lambda one: Review.model_validate(one.value))

    @router.get("/apps/{app}/reviews/{review}", tags=["reports"])
    def get_review(app: AppId, review: Annotated[str, Path(max_length=80)]) -> Review:
        """Return a review with its reply."""
        desk.record(app)
        kept = state.get("review", app, review)
        if kept is None:
            raise RefusedError(404, "no-review", f"there's no review {review}")
        return Review.model_validate(kept.value)

    @router.put("/apps/{app}/reviews/{review}/reply", tags=["reports"])
    def reply_to_review(app: AppId, review: Annotated[str, Path(max_length=80)], answer: Reply) -> Review:
        """Answer a review, or change the answer."""
        with state.change():
            limit = desk.limits(app).reply
            kept = state.get("review", app, review)
            if kept is None:
                raise RefusedError(404, "no-review", f"there's no review {review}")
            if limit is None:
                raise RefusedError(409, "no-replies", "reviews can't be answered in this store")
            if kept.value["reply"] not in (answer.instead_of, answer.text):
                raise RefusedError(412, "changed", "there's another reply by now")
            if fault := limit.fault(answer.text):
                raise RefusedError(422, "not-valid", f"the reply {fault}")
            return Review.model_validate(state.put("review", app, review, {**kept.value, "reply": answer.text}).value)
