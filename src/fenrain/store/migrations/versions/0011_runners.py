"""Which application process has taken which piece of a job"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = '0011'
down_revision = '0010'

MOMENT = sa.DateTime().with_variant(mysql.DATETIME(fsp=6), 'mariadb').with_variant(mysql.DATETIME(fsp=6), 'mysql')


def upgrade() -> None:
    op.create_table('runners', sa.Column('id', sa.String(36), primary_key=True), sa.Column('seen', MOMENT, nullable=False))
    op.add_column('job_items', sa.Column('runner', sa.String(36), nullable=True))
    op.create_index('items_to_take', 'job_items', ['state', 'runner'])


def downgrade() -> None:
    op.drop_index('items_to_take', 'job_items')
    op.drop_column('job_items', 'runner')
    op.drop_table('runners')
