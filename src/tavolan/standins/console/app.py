"""The stand-in as a web application: the protocol's endpoints, described in OpenAPI 3.1 at /openapi.json."""

import asyncio
from collections.abc import Mapping
from typing import Annotated, Any

from fastapi import APIRouter, Depends, FastAPI, Form, Query, Request, Response
from fastapi.exceptions import RequestValidationError
from fastapi.openapi.models import OAuthFlowClientCredentials, OAuthFlows
from fastapi.responses import HTMLResponse, JSONResponse
from fastapi.security import HTTPBasic, HTTPBasicCredentials, OAuth2
from starlette.exceptions import HTTPException

from tavolan.consoles import protocol
from tavolan.standins.console import experiments, files, listings, reports, versions
from tavolan.standins.console.back_office import Manners, RefusedError
from tavolan.standins.console.desk import PAGE, After, AppId, Desk, Sha256, paged
from tavolan.standins.console.openapi import ANSWERS, PROBLEM, TITLES, document_of, methods_of
from tavolan.standins.console.page import page_of


def problem(
    status: int, kind: str, detail: str, fields: dict[str, str] | None = None, headers: Mapping[str, str] | None = None
) -> JSONResponse:
    """Return problem details (RFC 9457)."""
    trouble = protocol.Trouble(
        type=f"/problems/{kind}",
        title=TITLES.get(status, "Refused"),
        status=status,
        detail=detail,
        fields=fields or {},
    )
    return JSONResponse(trouble.model_dump(), status, headers or {}, media_type=PROBLEM)


def console_app(desk: Desk) -> FastAPI:
    """Return the application."""
    app = FastAPI(
        title="A store console",
        version="1",
        summary="The open protocol of docs/console.md",
        responses=ANSWERS,
        # Generated clients take their names from here.
        generate_unique_id_function=lambda route: route.name,
        docs_url=None,
        redoc_url=None,
    )
    _add_sign_in(app, desk)
    # RFC 6749, section 4.4: a bearer token for the client's id and secret.
    flows = OAuthFlows(clientCredentials=OAuthFlowClientCredentials(tokenUrl="token"))
    bearer = OAuth2(flows=flows, auto_error=False)

    def signed_in(given: Annotated[str | None, Depends(bearer)]) -> Desk:
        scheme, _, token = (given or "").partition(" ")
        if scheme.lower() != "bearer":
            raise RefusedError(401, "token", "there's no bearer token")
        desk.check(token)
        return desk

    router = APIRouter(dependencies=[Depends(signed_in)])

    @router.get("/apps", tags=["apps"])
    def list_apps(after: After = "") -> protocol.Page[protocol.App]:
        """List the app records."""
        return paged(desk.state.all("app", "", after, PAGE + 1), lambda kept: _app(desk, kept.key))

    @router.get("/apps/{app}", tags=["apps"])
    def get_app(app: AppId) -> protocol.App:
        """Return an app record, and what a hand-over still needs."""
        return _app(desk, app)

    listings.add_routes(router, desk)
    files.add_routes(router, desk)
    versions.add_routes(router, desk)
    reports.add_routes(router, desk)
    experiments.add_routes(router, desk)
    app.include_router(router)

    _add_page(app, desk)
    _add_handlers(app)
    app.openapi = lambda: document_of(app)  # type: ignore[method-assign]
    app.add_middleware(Misbehaviour, manners=desk.manners)
    return app


def _add_sign_in(app: FastAPI, desk: Desk) -> None:
    basic = HTTPBasic(auto_error=False)

    def proven(given: Annotated[HTTPBasicCredentials | None, Depends(basic)]) -> HTTPBasicCredentials:
        if given is None:
            raise RefusedError(401, "sign-in", "send client id and secret as Basic authorization")
        return given

    @app.post("/token", tags=["sign-in"])
    def get_token(
        given: Annotated[HTTPBasicCredentials, Depends(proven)], grant_type: Annotated[str, Form()]
    ) -> protocol.Token:
        """Give a bearer token to a client that proves who it is (RFC 6749, section 4.4)."""
        if grant_type != "client_credentials":
            raise RefusedError(400, "grant", "grant_type must be client_credentials")
        return desk.token(given)


def _add_page(app: FastAPI, desk: Desk) -> None:
    """Add the page for people, and its pictures."""

    @app.get("/page/{key}", response_class=HTMLResponse, include_in_schema=False)
    def page(key: str, app: Annotated[str, Query()] = "") -> HTMLResponse:
        desk.check_key(key)
        return HTMLResponse(page_of(desk, key, app))

    @app.get("/page/{key}/files/{sha256}", include_in_schema=False)
    def picture(key: str, sha256: Sha256) -> Response:
        desk.check_key(key)
        data = desk.state.file(sha256)
        return Response(
            data, 200 if data else 404, media_type="image/jpeg" if data and data[:1] == b"\xff" else "image/png"
        )


def _add_handlers(app: FastAPI) -> None:
    """Make problem details of all that goes wrong."""

    @app.exception_handler(RefusedError)
    async def refused(_: Request, error: RefusedError) -> Response:
        headers = {"WWW-Authenticate": "Bearer"} if error.status == 401 else {}
        return problem(error.status, error.kind, error.detail, error.fields, headers)

    @app.exception_handler(RequestValidationError)
    async def invalid(_: Request, error: RequestValidationError) -> Response:
        fields = {".".join(map(str, fault["loc"])): str(fault["msg"]) for fault in error.errors()}
        return problem(422, "not-valid", "the request isn't as the protocol says", fields)

    @app.exception_handler(HTTPException)
    async def other(request: Request, error: HTTPException) -> Response:
        headers = dict(error.headers or {})
        if error.status_code == 405:
            headers["Allow"] = ", ".join(methods_of(app, request.url.path))
        return problem(error.status_code, "refused", str(error.detail), headers=headers)


def _app(desk: Desk, app: str) -> protocol.App:
    record = desk.record(app)
    default = record["default_locale"]
    listed = desk.state.all("listing", app)
    titles = {kept.key: str(kept.value["texts"].get("title", "")) for kept in listed}
    return protocol.App(
        id=app,
        store=record["store"],
        title=titles.get(default, ""),
        default_locale=default,
        locales=[*titles],
        sections=desk.sections(app),
    )


class Misbehaviour:
    """Lets requests go wrong, as manners say: late, refused as busy, broken, or cut off before or after the change."""

    def __init__(self, app: Any, manners: Manners) -> None:
        self.app, self.manners, self._turn = app, manners, 0

    async def __call__(self, scope: Any, receive: Any, send: Any) -> None:
        """Answer one request, or don't."""
        manners = self.manners
        if scope["type"] != "http" or not scope["path"].startswith(("/token", "/apps", "/uploads")):
            await self.app(scope, receive, send)
            return
        if manners.slow:
            await asyncio.sleep(manners.slow)
        if manners.busy > 0:
            manners.busy -= 1
            await problem(429, "busy", "too many requests", headers={"Retry-After": "0.01"})(scope, receive, send)
        elif manners.fail > 0:
            manners.fail -= 1
            await problem(503, "broken", "something broke")(scope, receive, send)
        elif manners.drop > 0 and scope["path"] != "/token":
            manners.drop -= 1
            self._turn += 1
            if self._turn % 2:
                await self.app(scope, receive, _swallow)
            await send({"type": "http.response.start", "status": 200, "headers": [(b"content-length", b"1000")]})
            raise ConnectionAbortedError
        else:
            await self.app(scope, receive, send)


async def _swallow(_: Any) -> None:
    """Take an answer that never arrives."""
