"""Where things are kept and which ports are used; from the environment, prefix FENRAIN_."""

from __future__ import annotations

import os
from functools import cache
from pathlib import Path

from pydantic_settings import BaseSettings, SettingsConfigDict


class Settings(BaseSettings):
    """data: folder of database, files and logs; scheduler: address of a Dask scheduler, or "" for a local cluster; hosts: names by which
    people reach the server, without ports."""

    model_config = SettingsConfigDict(env_prefix="FENRAIN_")

    data: Path = Path(".fenrain")
    port: int = 8571
    database_port: int = 33871
    scheduler: str = ""
    workers: int = min(os.cpu_count() or 1, 8)
    largest_upload: int = 4 * 1024**3
    hosts: tuple[str, ...] = ("127.0.0.1", "localhost", "::1")

    @property
    def database_url(self) -> str:
        return f"mysql+pymysql://root@127.0.0.1:{self.database_port}/fenrain?charset=utf8mb4"


@cache
def settings() -> Settings:
    """Read once for the life of the process."""
    return Settings()
