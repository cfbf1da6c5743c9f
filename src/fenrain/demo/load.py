"""Loads Heron Lode into the database, once."""

from __future__ import annotations

import tempfile
from pathlib import Path

from sqlalchemy import select

from fenrain.demo.heron_lode import write_heron_lode
from fenrain.demo.pump_hall import write_pump_hall
from fenrain.demo.warm import TARGETS
from fenrain.jobs.plans import plan_conversion
from fenrain.services.intakes import accept_found, create_intake
from fenrain.store.database import session
from fenrain.store.tables import Project

PROJECT = "Heron Lode (invented demo)"


def load_demo() -> bool:
    """Make the demo project with its materials and the jobs that convert and check them. Returns False where it is there already."""
    with session() as database:
        if database.scalar(select(Project.id).where(Project.name == PROJECT)) is not None:
            return False
    with tempfile.TemporaryDirectory(prefix="fenrain-demo-") as scratch, session() as database:
        write_heron_lode(Path(scratch))
        write_pump_hall(Path(scratch))
        project = Project(name=PROJECT, tolerances={})
        database.add(project)
        database.flush()
        accept_found(database, create_intake(database, project.id, Path(scratch)).id, None)
        for target, profile in TARGETS:
            plan_conversion(database, project.id, None, target, profile)
    return True
