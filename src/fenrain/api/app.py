"""The application: routers, errors, the built web pages, and the job runner."""

from __future__ import annotations

from collections.abc import AsyncIterator, Sequence
from contextlib import asynccontextmanager
from pathlib import Path
from threading import Thread

import anyio.to_thread
from fastapi import Depends, FastAPI
from fastapi.responses import FileResponse
from fastapi.routing import APIRoute
from fastapi.staticfiles import StaticFiles
from starlette.middleware.gzip import GZipMiddleware

from fenrain.api import problems
from fenrain.api.access import Access, addresses_of
from fenrain.api.audit import AuditMiddleware
from fenrain.api.authentication import authenticate
from fenrain.api.guards import Guard
from fenrain.api.schemas.shared import Problem
from fenrain.core.discovery import declarations
from fenrain.core.errors import NotFoundError
from fenrain.core.reference import Topic
from fenrain.core.rendering.probe import engine_state
from fenrain.jobs.job_dispatcher import JobDispatcher
from fenrain.services.live_rendering import LiveRendering
from fenrain.services.worker_process import WorkerProcess

API = "/api/v1"
WEB = Path(__file__).parents[3] / "web" / "dist"


def create_app(*, run_jobs: bool = True, topics: Sequence[Topic] = ()) -> FastAPI:
    """run_jobs: whether this process also feeds the cluster; topics: of the reference, beside those of the core."""

    @asynccontextmanager
    async def lifespan(_: FastAPI) -> AsyncIterator[None]:
        if not run_jobs:
            yield
            return
        Thread(target=engine_state, name="engine probe", daemon=True).start()
        with JobDispatcher(), WorkerProcess(), LiveRendering() as app.state.live:
            yield

    app = FastAPI(
        title="Fenrain",
        version="1",
        lifespan=lifespan,
        openapi_url=f"{API}/openapi.json",
        docs_url=None,
        redoc_url=None,
        generate_unique_id_function=_operation_id,
        responses={"default": {"model": Problem, "description": "what, where, what next"}},
    )
    app.state.live, app.state.topics = None, tuple(topics)
    ways_in, routers = declarations("fenrain.api.routers", "entry"), declarations("fenrain.api.routers", "router")
    addresses = [*addresses_of(ways_in, API, is_open=True), *addresses_of(routers, API, is_open=False)]
    app.add_middleware(Access, addresses=addresses)
    app.add_middleware(AuditMiddleware)
    app.add_middleware(GZipMiddleware, minimum_size=2048, compresslevel=4)
    app.add_middleware(Guard)
    problems.install(app)
    for way_in in ways_in:
        app.include_router(way_in, prefix=API)
    for router in routers:
        app.include_router(router, prefix=API, dependencies=[Depends(authenticate)])
    if WEB.is_dir():
        _serve_pages(app)
    return app


def _operation_id(route: APIRoute) -> str:
    return route.name


def _serve_pages(app: FastAPI) -> None:
    app.mount("/assets", StaticFiles(directory=WEB / "assets"), name="assets")

    @app.get("/{path:path}", include_in_schema=False)
    async def page(path: str) -> FileResponse:
        if f"/{path}/".startswith("/api/"):
            raise NotFoundError("There is no such address.", place=f"/{path}"[:200], remedy=f"{API}/openapi.json lists those that are.")
        wanted = (WEB / path).resolve()
        there = await anyio.to_thread.run_sync(lambda: bool(path) and wanted.is_relative_to(WEB.resolve()) and wanted.is_file())
        return FileResponse(wanted if there else WEB / "index.html")
