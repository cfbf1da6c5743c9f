"""Reviews"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = '0010'
down_revision = '0009'

MOMENT = sa.DateTime().with_variant(mysql.DATETIME(fsp=6), 'mariadb').with_variant(mysql.DATETIME(fsp=6), 'mysql')


def upgrade() -> None:
    op.create_table(
        'reviews',
        sa.Column('id', sa.Integer(), primary_key=True),
        sa.Column('conversion_id', sa.Integer(), sa.ForeignKey('conversions.id', ondelete='CASCADE'), nullable=False, index=True),
        sa.Column('state', sa.String(20), nullable=False),
        sa.Column('by', sa.String(80), nullable=False),
        sa.Column('note', sa.String(2000), nullable=False),
        sa.Column('place', sa.JSON(), nullable=False),
        sa.Column('basis', sa.JSON(), nullable=False),
        sa.Column('created', MOMENT, nullable=False),
    )


def downgrade() -> None:
    op.drop_table('reviews')
