"""Rigs of a project, and surroundings and meshes that people hand in"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = '0005'
down_revision = '0004'

MOMENT = sa.DateTime().with_variant(mysql.DATETIME(fsp=6), 'mariadb').with_variant(mysql.DATETIME(fsp=6), 'mysql')


def upgrade() -> None:
    op.create_table('surroundings',
    sa.Column('id', sa.Integer(), nullable=False),
    sa.Column('project_id', sa.Integer(), nullable=False),
    sa.Column('kind', sa.String(length=20), nullable=False),
    sa.Column('key', sa.String(length=40), nullable=False),
    sa.Column('name', sa.String(length=200), nullable=False),
    sa.Column('says', sa.String(length=200), nullable=False),
    sa.Column('digest', sa.String(length=64), nullable=False),
    sa.Column('created', MOMENT, nullable=False),
    sa.ForeignKeyConstraint(['project_id'], ['projects.id'], ondelete='CASCADE'),
    sa.PrimaryKeyConstraint('id'),
    sa.UniqueConstraint('project_id', 'key')
    )
    op.add_column('projects', sa.Column('rigs', sa.JSON(), nullable=True))
    op.execute("UPDATE projects SET rigs = '[]'")
    op.alter_column('projects', 'rigs', existing_type=sa.JSON(), nullable=False)


def downgrade() -> None:
    op.drop_column('projects', 'rigs')
    op.drop_table('surroundings')
