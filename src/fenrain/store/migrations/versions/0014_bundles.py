"""Items of jobs that hold several materials, and jobs that say how long they will take"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = '0014'
down_revision = '0013'

MOMENT = sa.DateTime().with_variant(mysql.DATETIME(fsp=6), 'mariadb').with_variant(mysql.DATETIME(fsp=6), 'mysql')


def upgrade() -> None:
    for name, default in (('size', '1'), ('done', '0'), ('failed', '0')):
        op.add_column('job_items', sa.Column(name, sa.Integer(), nullable=False, server_default=default))
    op.execute("UPDATE job_items SET done = (state = 'done'), failed = (state = 'failed')")
    op.add_column('jobs', sa.Column('begun', MOMENT, nullable=True))
    op.add_column('jobs', sa.Column('seconds_left', sa.Float(), nullable=True))


def downgrade() -> None:
    op.drop_column('jobs', 'seconds_left')
    op.drop_column('jobs', 'begun')
    for name in ('failed', 'done', 'size'):
        op.drop_column('job_items', name)
