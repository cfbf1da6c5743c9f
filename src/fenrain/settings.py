"""Where things are kept and which ports are used; from the environment, prefix FENRAIN_."""

from __future__ import annotations

import os
from functools import cache
from pathlib import Path

from pydantic_settings import BaseSettings, SettingsConfigDict


class Settings(BaseSettings):
    """data: folder of database, files and logs of this machine; database: URL of a MariaDB that somebody else runs, "" for one of our own
    in the data folder; files: URL of the file store, a folder or what fsspec knows, "" for one in the data folder; deliveries: folder of
    deliveries that are not downloaded, None for one in the data folder; scheduler: address of a Dask scheduler, "" for a local cluster;
    certificate: file by which processes of a cluster on several machines know each other;
    workers, worker_memory: processes of a local cluster, and the most bytes that each may hold; largest_upload: the most bytes that come
    at once; search_roots: folders of this machine below which missing maps may be looked for; hosts: names by which people reach the
    server, without ports; https: whether they reach it through a proxy that speaks TLS; proxies: addresses of proxies whose word on where
    a request comes from is taken; requests_a_minute, uploads_an_hour, jobs_at_once: the most that one person may ask for."""

    model_config = SettingsConfigDict(env_prefix="FENRAIN_")

    data: Path = Path(".fenrain")
    port: int = 8571
    database: str = ""
    database_port: int = 33871
    files: str = ""
    deliveries: Path | None = None
    scheduler: str = ""
    certificate: Path | None = None
    workers: int = min(os.cpu_count() or 1, 8)
    worker_memory: int = 4 * 1024**3
    largest_upload: int = 4 * 1024**3
    search_roots: tuple[Path, ...] = ()
    hosts: tuple[str, ...] = ("127.0.0.1", "localhost", "::1")
    https: bool = False
    proxies: tuple[str, ...] = ()
    requests_a_minute: int = 6000
    uploads_an_hour: int = 1000
    jobs_at_once: int = 500


@cache
def settings() -> Settings:
    """Read once for the life of the process."""
    return Settings()
