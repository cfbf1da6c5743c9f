"""Outcomes of a board lie together, with all that it is counted and sorted by"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = '0019'
down_revision = '0018'


def _of_conversion(**how: bool) -> sa.Column[int]:
    return sa.Column('conversion_id', sa.Integer(), sa.ForeignKey('conversions.id', ondelete='CASCADE'), nullable=False, **how)


def _standing() -> list[sa.Column[object]]:
    return [
        sa.Column('marked', sa.Integer(), nullable=False),
        sa.Column('settled', sa.Integer(), nullable=False),
        sa.Column('shared', sa.String(64), nullable=False),
        sa.Column('verdict', sa.String(20), nullable=False),
        sa.Column('worst', sa.Float(), nullable=False),
        sa.Column('reason', sa.String(40), nullable=False),
        sa.Column('losses', sa.Integer(), nullable=False),
        sa.Column('review', sa.String(20), nullable=False),
    ]


def upgrade() -> None:
    # What stands there is worked out again, so that the table is made anew.
    op.drop_table('outcomes')
    op.create_table(
        'outcomes',
        sa.Column('project_id', sa.Integer(), primary_key=True, autoincrement=False),
        sa.Column('target', sa.String(40), primary_key=True),
        sa.Column('profile', sa.String(40), primary_key=True),
        sa.Column('material_id', sa.Integer(), primary_key=True, autoincrement=False),
        _of_conversion(unique=True),
        sa.Column('merged', sa.Boolean(), nullable=False),
        sa.Column('doubtful', sa.Boolean(), nullable=False),
        *_standing(),
        sa.Column('changed', mysql.DATETIME(fsp=6), nullable=False),
    )
    op.execute(
        "INSERT INTO outcomes (project_id, target, profile, material_id, conversion_id, merged, doubtful, marked, settled, shared, verdict, "
        "worst, reason, losses, review, changed) "
        "SELECT materials.project_id, target, profile, materials.id, conversions.id, merged_into IS NOT NULL, doubtful, 1, 0, '', '', 0, '', "
        "0, '', updated FROM conversions JOIN materials ON materials.id = material_id"
    )


def downgrade() -> None:
    op.drop_table('outcomes')
    op.create_table('outcomes', _of_conversion(primary_key=True, autoincrement=False), *_standing())
