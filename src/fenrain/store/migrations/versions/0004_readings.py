"""Checks keep readings, which are judged when they are read; tolerances by rig and reading"""

import json

import sqlalchemy as sa
from alembic import op

revision = '0004'
down_revision = '0003'

LIMITS = {"colour": ("match_median", "near_median"), "colour_95": ("match_p95", "near_p95")}


def upgrade() -> None:
    op.execute("DELETE FROM checks")
    connection = op.get_bind()
    for identity, stored in connection.execute(sa.text("SELECT id, tolerances FROM projects")).all():
        old = json.loads(stored) if isinstance(stored, str) else stored
        limits = {name: [old[match], old[near]] for name, (match, near) in LIMITS.items() if match in old and near in old}
        connection.execute(
            sa.text("UPDATE projects SET tolerances = :new WHERE id = :id"),
            {"new": json.dumps({"*": limits} if limits else {}), "id": identity},
        )


def downgrade() -> None:
    op.execute("DELETE FROM checks")
    op.execute("UPDATE projects SET tolerances = '{}'")
