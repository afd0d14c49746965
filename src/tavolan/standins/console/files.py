"""Files in parts that can be resumed, and the sets of pictures that are made of them."""

import hashlib
import tempfile
import time
from pathlib import Path
from typing import Annotated, Any

from fastapi import APIRouter, Header, Request, Response
from fastapi import Path as PathPart

from tavolan.consoles.protocol import VIDEO, NewUpload, Page, Picture, PictureSet, SetKind, SetOrder, Tagged, Upload
from tavolan.errors import ProjectError
from tavolan.standins.console.back_office import RefusedError, require_editable
from tavolan.standins.console.desk import (
    PAGE,
    After,
    AppId,
    Desk,
    IfMatch,
    IfNoneMatch,
    Locale,
    Sha256,
    check_digest,
    paged,
    precondition,
)
from tavolan.standins.console.limits import PictureLimit, StoreLimits, VideoLimit
from tavolan.standins.console.openapi import PART_BODY
from tavolan.standins.console.state import Kept, State
from tavolan.support.image_headers import ImageFacts, image_facts

_MOST_PART = 8_000_000
PlaceName = Annotated[str, PathPart(pattern=r"^[A-Za-z0-9][A-Za-z0-9._-]{0,79}$")]
UploadId = Annotated[str, PathPart(pattern=r"^[0-9a-f]{32}$")]
PartNumber = Annotated[int, PathPart(ge=0, le=100_000)]
DigestField = Annotated[str | None, Header(max_length=300)]


def add_routes(router: APIRouter, desk: Desk) -> None:
    """Add the endpoints."""
    _add_uploads(router, desk)
    _add_downloads(router, desk)
    _add_sets(router, desk)


def _add_uploads(router: APIRouter, desk: Desk) -> None:
    state = desk.state

    @router.post("/uploads", tags=["files"])
    def begin_upload(new: NewUpload) -> Upload:
        """Begin to bring a file, or go on with one; one that's there already is done."""
        key = hashlib.md5(f"{new.sha256} {new.bytes}".encode(), usedforsecurity=False).hexdigest()
        with state.change():
            if state.get("upload", "", key) is None:
                part = max(1, min(desk.manners.part_bytes, _MOST_PART))
                state.put("upload", "", key, {"sha256": new.sha256, "bytes": new.bytes, "part_bytes": part})
            return _upload(desk, key)

    @router.get("/uploads/{upload}", tags=["files"])
    def get_upload(upload: UploadId) -> Upload:
        """Return which parts of a file are there."""
        return _upload(desk, upload)

    @router.put("/uploads/{upload}/parts/{number}", tags=["files"], status_code=204, openapi_extra=PART_BODY)
    async def put_part(
        upload: UploadId, number: PartNumber, request: Request, content_digest: DigestField = None
    ) -> Response:
        """Take a part of a file, with its digest."""
        await _take_part(desk, upload, number, request, content_digest)
        return Response(status_code=204)

    @router.post("/uploads/{upload}/completion", tags=["files"])
    def complete_upload(upload: UploadId, repr_digest: DigestField = None) -> Upload:
        """End an upload; the digest of the whole must fit."""
        with state.change():
            begun = _upload(desk, upload)
            if begun.done:
                return begun
            data = state.joined(upload)
            if len(data) != begun.bytes:
                raise RefusedError(409, "parts-missing", f"{begun.bytes - len(data)} bytes are missing")
            check_digest(data, repr_digest)
            if hashlib.sha256(data).hexdigest() != begun.sha256:
                state.drop_parts(upload)
                raise RefusedError(422, "damaged", "the file isn't the one that was announced")
            state.add_file(begun.sha256, data)
            state.drop_parts(upload)
            return _upload(desk, upload)


async def _take_part(desk: Desk, upload: str, number: int, request: Request, digest: str | None) -> None:
    data = bytearray()
    async for piece in request.stream():
        data += piece
        if len(data) > _MOST_PART:
            raise RefusedError(413, "too-large", "a part has at most 8 MB")
    begun = _upload(desk, upload)
    check_digest(bytes(data), digest)
    if begun.done:
        return
    if len(data) != min(begun.part_bytes, begun.bytes - number * begun.part_bytes):
        raise RefusedError(422, "damaged", "the part hasn't the length that it should have")
    desk.state.add_part(upload, number, bytes(data))


def _add_downloads(router: APIRouter, desk: Desk) -> None:
    state = desk.state

    @router.get(
        "/apps/{app}/files/{sha256}",
        tags=["files"],
        response_class=Response,
        responses={200: {"content": {"application/octet-stream": {}}}},
    )
    def get_file(app: AppId, sha256: Sha256) -> Response:
        """Return a file."""
        desk.record(app)
        data = state.file(sha256)
        if data is None:
            raise RefusedError(404, "no-file", "there's no such file")
        return Response(data, media_type="application/octet-stream")


def _upload(desk: Desk, key: str) -> Upload:
    kept = desk.state.get("upload", "", key)
    if kept is None:
        raise RefusedError(404, "no-upload", "there's no such upload")
    done = desk.state.has_file(kept.value["sha256"])
    return Upload(id=key, **kept.value, received=[] if done else desk.state.parts(key), done=done)


def _add_sets(router: APIRouter, desk: Desk) -> None:
    state = desk.state

    @router.get("/apps/{app}/picture-sets", tags=["pictures"])
    def list_picture_sets(app: AppId, after: After = "") -> Page[Tagged[PictureSet]]:
        """Return all sets of pictures."""
        desk.record(app)
        return paged(state.all("set", app, after, PAGE + 1), lambda kept: _set(desk, kept))

    @router.get("/apps/{app}/picture-sets/{locale}/{place}", tags=["pictures"])
    def get_picture_set(app: AppId, locale: Locale, place: PlaceName) -> Tagged[PictureSet]:
        """Return a set of pictures."""
        desk.record(app)
        kept = state.get("set", app, f"{locale} {place}")
        if kept is None:
            raise RefusedError(404, "no-set", f"there's no set {locale} {place}")
        return _set(desk, kept)

    @router.put("/apps/{app}/picture-sets/{locale}/{place}", tags=["pictures"])
    def order_pictures(
        app: AppId,
        locale: Locale,
        place: PlaceName,
        wanted: SetOrder,
        if_match: IfMatch = None,
        if_none_match: IfNoneMatch = None,
    ) -> Tagged[PictureSet]:
        """Give a set its pictures, in order."""
        with state.change():
            limits = desk.limits(app)
            kept = state.get("set", app, f"{locale} {place}")
            precondition(kept, if_match, if_none_match)
            most, video, picture = _limits_of_set(limits, place, wanted.kind)
            if len(wanted.pictures) > most:
                raise RefusedError(422, "not-valid", f"{place} takes {most} pictures, not {len(wanted.pictures)}")
            if limits.needs_version:
                require_editable(state, app, "a set of pictures")
            if faults := _set_faults(state, f"{locale} {place}", wanted.pictures, video, picture):
                raise RefusedError(422, "not-valid", "; ".join(f"{at} {what}" for at, what in faults.items()), faults)
            value = {"kind": wanted.kind, "pictures": wanted.pictures, "ready_at": time.time() + desk.manners.picture}
            return _set(desk, state.put("set", app, f"{locale} {place}", value))


def _limits_of_set(limits: StoreLimits, place: str, kind: SetKind) -> tuple[int, VideoLimit | None, PictureLimit]:
    """Return how many pictures a set may have, and what's taken of its video, where it has one, and its pictures.

    Raises RefusedError for a place that the store doesn't have.
    """
    if kind == "video":
        video = limits.videos.get(place.removeprefix(VIDEO)) if place.startswith(VIDEO) else None
        if video is not None:
            # A video and its still picture: of the video's size where one is asked for.
            return 2, video, PictureLimit(sizes=(video.size,) if video.size else ())
    else:
        picture = (limits.shots if kind == "shots" else limits.graphics).get(place)
        if picture is not None:
            return picture.most, None, picture
    raise RefusedError(422, "not-valid", f"this store has no {kind} {place}")


def _set_faults(
    state: State, at: str, pictures: list[str], video: VideoLimit | None, picture: PictureLimit
) -> dict[str, str]:
    """Return what's wrong with the pictures of a set, by its locale and place, and number. Raises RefusedError."""
    faults = {}
    for number, sha256 in enumerate(pictures, 1):
        data = state.file(sha256)
        if data is None:
            raise RefusedError(409, "no-file", f"picture {number} of {at} wasn't uploaded")
        if video is not None and number == 1:
            fault = _video_fault(state, sha256, data, video)
        else:
            fault = picture.fault(_facts(state, sha256, data), len(data))
        if fault:
            faults[f"{at} {number}"] = fault
    return faults


def _facts(state: Any, sha256: str, data: bytes) -> ImageFacts | None:
    """Return what a picture's header says, kept once it's read."""
    kept = state.get("facts of file", "", sha256)
    if kept is not None:
        return ImageFacts(**kept.value)
    with tempfile.NamedTemporaryFile() as file:
        file.write(data)
        file.flush()
        facts = image_facts(Path(file.name))
    if facts is not None:
        state.put("facts of file", "", sha256, vars(facts))
    return facts


def _video_fault(state: Any, sha256: str, data: bytes, limit: VideoLimit) -> str:
    """Return what's wrong with a video, or nothing; what it says of itself is kept."""
    from tavolan.video.measuring import header_facts

    with tempfile.NamedTemporaryFile(suffix=".mp4") as file:
        file.write(data)
        file.flush()
        try:
            facts = header_facts(Path(file.name), "the video")
        except ProjectError as error:
            return error.problems[0].message
    state.put("facts of video", "", sha256, {"width": facts.width, "height": facts.height, "format": "mp4"})
    return limit.fault(facts)


def _set(desk: Desk, kept: Kept) -> Tagged[PictureSet]:
    locale, place = kept.key.split(" ")
    found = []
    for sha256 in kept.value["pictures"]:
        facts = desk.state.get("facts of file", "", sha256) or desk.state.get("facts of video", "", sha256)
        read = facts.value if facts else {"width": 0, "height": 0, "format": ""}
        ready = time.time() >= kept.value["ready_at"]
        size = desk.state.file_bytes(sha256)
        found.append(
            Picture(
                sha256=sha256,
                bytes=size,
                width=read["width"],
                height=read["height"],
                format=read["format"],
                state="ready" if ready else "processing",
            )
        )
    value = PictureSet(locale=locale, place=place, kind=kept.value["kind"], pictures=found)
    return Tagged(etag=kept.etag, value=value)
