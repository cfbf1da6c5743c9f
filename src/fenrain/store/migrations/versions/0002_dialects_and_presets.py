"""Dialects, presets, and who set an override"""

import json

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = '0002'
down_revision = '0001'

MOMENT = sa.DateTime().with_variant(mysql.DATETIME(fsp=6), 'mariadb').with_variant(mysql.DATETIME(fsp=6), 'mysql')


def upgrade() -> None:
    op.create_table('dialects',
    sa.Column('id', sa.Integer(), nullable=False),
    sa.Column('key', sa.String(length=40), nullable=False),
    sa.Column('text', sa.Text().with_variant(mysql.MEDIUMTEXT(), 'mariadb').with_variant(mysql.MEDIUMTEXT(), 'mysql'), nullable=False),
    sa.Column('version', sa.Integer(), nullable=False),
    sa.Column('updated', MOMENT, nullable=False),
    sa.PrimaryKeyConstraint('id'),
    sa.UniqueConstraint('key')
    )
    op.create_table('presets',
    sa.Column('id', sa.Integer(), nullable=False),
    sa.Column('name', sa.String(length=200), nullable=False),
    sa.Column('says', sa.String(length=400), nullable=False),
    sa.Column('color', sa.String(length=80), nullable=False),
    sa.Column('document', sa.JSON(), nullable=False),
    sa.Column('created', MOMENT, nullable=False),
    sa.PrimaryKeyConstraint('id'),
    sa.UniqueConstraint('name')
    )
    op.add_column('intakes', sa.Column('dialects', sa.JSON(), nullable=True))
    op.execute("UPDATE intakes SET dialects = '{}'")
    op.alter_column('intakes', 'dialects', existing_type=sa.JSON(), nullable=False)
    _rewrite_overrides(lambda value: {"value": value, "by": "hand", "why": ""})


def downgrade() -> None:
    _rewrite_overrides(lambda override: override["value"])
    op.drop_column('intakes', 'dialects')
    op.drop_table('presets')
    op.drop_table('dialects')


def _rewrite_overrides(change) -> None:
    connection = op.get_bind()
    for identity, stored in connection.execute(sa.text("SELECT id, overrides FROM conversions")).all():
        overrides = json.loads(stored) if isinstance(stored, str) else stored
        changed = json.dumps({name: change(value) for name, value in overrides.items()})
        connection.execute(sa.text("UPDATE conversions SET overrides = :changed WHERE id = :id"), {"changed": changed, "id": identity})
