"""People, what lets them in, and what they did"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = '0012'
down_revision = '0011'

MOMENT = sa.DateTime().with_variant(mysql.DATETIME(fsp=6), 'mariadb').with_variant(mysql.DATETIME(fsp=6), 'mysql')


def upgrade() -> None:
    op.create_table(
        'people',
        sa.Column('id', sa.Integer(), primary_key=True),
        sa.Column('name', sa.String(80), nullable=False, unique=True),
        sa.Column('role', sa.String(20), nullable=False),
        sa.Column('password', sa.String(200), nullable=False),
        sa.Column('disabled', sa.Boolean(), nullable=False),
        sa.Column('created', MOMENT, nullable=False),
    )
    op.create_table(
        'credentials',
        sa.Column('id', sa.Integer(), primary_key=True),
        sa.Column('person_id', sa.Integer(), sa.ForeignKey('people.id', ondelete='CASCADE'), nullable=False, index=True),
        sa.Column('kind', sa.String(20), nullable=False),
        sa.Column('name', sa.String(80), nullable=False),
        sa.Column('digest', sa.String(64), nullable=False, unique=True),
        sa.Column('by_link', sa.Boolean(), nullable=False),
        sa.Column('created', MOMENT, nullable=False),
        sa.Column('seen', MOMENT, nullable=False),
        sa.Column('expires', MOMENT, nullable=False),
    )
    op.create_table(
        'audit',
        sa.Column('id', sa.BigInteger(), primary_key=True),
        sa.Column('moment', MOMENT, nullable=False, index=True),
        sa.Column('by', sa.String(80), nullable=False),
        sa.Column('act', sa.String(80), nullable=False),
        sa.Column('place', sa.String(200), nullable=False),
        sa.Column('status', sa.Integer(), nullable=False),
    )
    op.add_column('jobs', sa.Column('by', sa.String(80), nullable=False, server_default=''))


def downgrade() -> None:
    op.drop_column('jobs', 'by')
    op.drop_table('audit')
    op.drop_table('credentials')
    op.drop_table('people')
