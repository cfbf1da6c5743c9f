"""Acts on many: what they would do, and those that are kept to be done again"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = '0015'
down_revision = '0014'

MOMENT = sa.DateTime().with_variant(mysql.DATETIME(fsp=6), 'mariadb').with_variant(mysql.DATETIME(fsp=6), 'mysql')


def upgrade() -> None:
    op.create_table(
        'rehearsed',
        sa.Column('id', sa.BigInteger(), primary_key=True),
        sa.Column('job_id', sa.Integer(), sa.ForeignKey('jobs.id', ondelete='CASCADE'), nullable=False),
        sa.Column('conversion_id', sa.Integer(), sa.ForeignKey('conversions.id', ondelete='CASCADE'), nullable=False),
        sa.Column('version', sa.Integer(), nullable=False),
        sa.Column('changes', sa.JSON(), nullable=False),
        sa.Column('before', sa.JSON(), nullable=False),
        sa.Column('after', sa.JSON(), nullable=False),
        sa.Column('excess_before', sa.Float(), nullable=False),
        sa.Column('excess_after', sa.Float(), nullable=False),
        sa.Column('pictures', sa.JSON(), nullable=False),
        sa.UniqueConstraint('job_id', 'conversion_id'),
    )
    op.create_table(
        'kept_acts',
        sa.Column('id', sa.Integer(), primary_key=True),
        sa.Column('project_id', sa.Integer(), sa.ForeignKey('projects.id', ondelete='CASCADE'), nullable=False),
        sa.Column('name', sa.String(200), nullable=False),
        sa.Column('by', sa.String(80), nullable=False),
        sa.Column('rule', sa.JSON(), nullable=False),
        sa.Column('created', MOMENT, nullable=False),
        sa.UniqueConstraint('project_id', 'name'),
    )


def downgrade() -> None:
    op.drop_table('kept_acts')
    op.drop_table('rehearsed')
