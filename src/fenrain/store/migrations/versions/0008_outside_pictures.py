"""Check kits for other renderers, and the pictures that come back"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = '0008'
down_revision = '0007'

MOMENT = sa.DateTime().with_variant(mysql.DATETIME(fsp=6), 'mariadb').with_variant(mysql.DATETIME(fsp=6), 'mysql')


def upgrade() -> None:
    op.create_table('kits',
    sa.Column('id', sa.Integer(), nullable=False),
    sa.Column('project_id', sa.Integer(), nullable=False),
    sa.Column('job_id', sa.Integer(), nullable=True),
    sa.Column('title', sa.String(length=200), nullable=False),
    sa.Column('target', sa.String(length=40), nullable=False),
    sa.Column('profile', sa.String(length=40), nullable=False),
    sa.Column('rig', sa.String(length=40), nullable=False),
    sa.Column('stand', sa.String(length=60), nullable=False),
    sa.Column('turn', sa.Float(), nullable=False),
    sa.Column('width', sa.Integer(), nullable=False),
    sa.Column('height', sa.Integer(), nullable=False),
    sa.Column('files', sa.JSON(), nullable=False),
    sa.Column('archive', sa.String(length=64), nullable=False),
    sa.Column('tiles', sa.JSON(), nullable=False),
    sa.Column('created', MOMENT, nullable=False),
    sa.ForeignKeyConstraint(['project_id'], ['projects.id'], ondelete='CASCADE'),
    sa.ForeignKeyConstraint(['job_id'], ['jobs.id'], ondelete='SET NULL'),
    sa.PrimaryKeyConstraint('id'),
    sa.UniqueConstraint('job_id')
    )
    op.create_index(op.f('ix_kits_project_id'), 'kits', ['project_id'])
    op.create_table('outside_pictures',
    sa.Column('id', sa.Integer(), nullable=False),
    sa.Column('kit_id', sa.Integer(), nullable=False),
    sa.Column('shows', sa.String(length=20), nullable=False),
    sa.Column('name', sa.String(length=200), nullable=False),
    sa.Column('digest', sa.String(length=64), nullable=False),
    sa.Column('space', sa.String(length=80), nullable=False),
    sa.Column('document', sa.JSON(), nullable=False),
    sa.Column('created', MOMENT, nullable=False),
    sa.ForeignKeyConstraint(['kit_id'], ['kits.id'], ondelete='CASCADE'),
    sa.PrimaryKeyConstraint('id'),
    sa.UniqueConstraint('kit_id', 'shows')
    )
    op.create_table('outside_checks',
    sa.Column('id', sa.Integer(), nullable=False),
    sa.Column('kit_id', sa.Integer(), nullable=False),
    sa.Column('tile', sa.Integer(), nullable=False),
    sa.Column('original', sa.String(length=64), nullable=False),
    sa.Column('converted', sa.String(length=64), nullable=False),
    sa.Column('first', sa.JSON(), nullable=False),
    sa.Column('second', sa.JSON(), nullable=False),
    sa.Column('numbers', sa.JSON(), nullable=False),
    sa.Column('pictures', sa.JSON(), nullable=False),
    sa.Column('created', MOMENT, nullable=False),
    sa.ForeignKeyConstraint(['kit_id'], ['kits.id'], ondelete='CASCADE'),
    sa.PrimaryKeyConstraint('id')
    )
    op.create_index(op.f('ix_outside_checks_kit_id'), 'outside_checks', ['kit_id'])
    op.create_index('outside_checks_of_pair', 'outside_checks', ['original', 'converted'])


def downgrade() -> None:
    op.drop_table('outside_checks')
    op.drop_table('outside_pictures')
    op.drop_table('kits')
