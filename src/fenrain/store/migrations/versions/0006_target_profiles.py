"""Target profiles that a project's people wrote; units and corrections of what was handed in"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = '0006'
down_revision = '0005'

MOMENT = sa.DateTime().with_variant(mysql.DATETIME(fsp=6), 'mariadb').with_variant(mysql.DATETIME(fsp=6), 'mysql')


def upgrade() -> None:
    op.create_table('target_profiles',
    sa.Column('id', sa.Integer(), nullable=False),
    sa.Column('project_id', sa.Integer(), nullable=False),
    sa.Column('key', sa.String(length=40), nullable=False),
    sa.Column('document', sa.JSON(), nullable=False),
    sa.Column('version', sa.Integer(), nullable=False),
    sa.Column('updated', MOMENT, nullable=False),
    sa.ForeignKeyConstraint(['project_id'], ['projects.id'], ondelete='CASCADE'),
    sa.PrimaryKeyConstraint('id'),
    sa.UniqueConstraint('project_id', 'key')
    )
    op.add_column('intakes', sa.Column('unit', sa.Float(), nullable=False, server_default='0'))
    op.alter_column('intakes', 'unit', existing_type=sa.Float(), existing_nullable=False, server_default=None)
    op.add_column('intakes', sa.Column('corrections', sa.JSON(), nullable=True))
    op.execute("UPDATE intakes SET corrections = '[]'")
    op.alter_column('intakes', 'corrections', existing_type=sa.JSON(), nullable=False)


def downgrade() -> None:
    op.drop_column('intakes', 'corrections')
    op.drop_column('intakes', 'unit')
    op.drop_table('target_profiles')
