"""Rigs of a project, surroundings and meshes that people hand in, and variants of materials"""

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
    op.add_column('materials', sa.Column('variant_of', sa.Integer(), nullable=True))
    op.create_index('ix_materials_variant_of', 'materials', ['variant_of'])
    op.create_foreign_key('fk_materials_variant_of', 'materials', 'materials', ['variant_of'], ['id'], ondelete='SET NULL')


def downgrade() -> None:
    op.drop_constraint('fk_materials_variant_of', 'materials', type_='foreignkey')
    op.drop_index('ix_materials_variant_of', 'materials')
    op.drop_column('materials', 'variant_of')
    op.drop_column('projects', 'rigs')
    op.drop_table('surroundings')
