"""What boards are sorted and filtered by, and the history of edits"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = '0013'
down_revision = '0012'

MOMENT = sa.DateTime().with_variant(mysql.DATETIME(fsp=6), 'mariadb').with_variant(mysql.DATETIME(fsp=6), 'mysql')


def upgrade() -> None:
    op.add_column('materials', sa.Column('file', sa.String(250), nullable=False, server_default=''))
    op.add_column('materials', sa.Column('doubtful', sa.Boolean(), nullable=False, server_default='0'))
    op.execute(
        "UPDATE materials SET file = LEFT(COALESCE(JSON_VALUE(document, '$.source.file'), ''), 250), "
        "doubtful = JSON_SEARCH(document, 'one', 'warning', NULL, '$.findings[*].severity') IS NOT NULL "
        "OR JSON_SEARCH(document, 'one', 'problem', NULL, '$.findings[*].severity') IS NOT NULL"
    )
    op.create_index('materials_of_board', 'materials', ['project_id', 'doubtful', 'model', 'file', 'name'])
    op.create_index('conversions_of_look', 'conversions', ['digest'])
    op.create_table(
        'outcomes',
        sa.Column('conversion_id', sa.Integer(), sa.ForeignKey('conversions.id', ondelete='CASCADE'), primary_key=True, autoincrement=False),
        sa.Column('marked', sa.Integer(), nullable=False),
        sa.Column('settled', sa.Integer(), nullable=False),
        sa.Column('shared', sa.String(64), nullable=False),
        sa.Column('verdict', sa.String(20), nullable=False),
        sa.Column('worst', sa.Float(), nullable=False),
        sa.Column('losses', sa.Integer(), nullable=False),
        sa.Column('review', sa.String(20), nullable=False),
    )
    op.create_table(
        'outcome_documents',
        sa.Column('conversion_id', sa.Integer(), sa.ForeignKey('conversions.id', ondelete='CASCADE'), primary_key=True, autoincrement=False),
        sa.Column('outline', sa.JSON(), nullable=False),
        sa.Column('document', sa.JSON(), nullable=False),
    )
    op.create_table(
        'acts',
        sa.Column('id', sa.Integer(), primary_key=True),
        sa.Column('project_id', sa.Integer(), sa.ForeignKey('projects.id', ondelete='CASCADE'), nullable=False, index=True),
        sa.Column('by', sa.String(80), nullable=False),
        sa.Column('kind', sa.String(20), nullable=False),
        sa.Column('title', sa.String(400), nullable=False),
        sa.Column('rule', sa.JSON(), nullable=False),
        sa.Column('undone', sa.Boolean(), nullable=False),
        sa.Column('created', MOMENT, nullable=False),
    )
    op.create_table(
        'edits',
        sa.Column('id', sa.BigInteger(), primary_key=True),
        sa.Column('act_id', sa.Integer(), sa.ForeignKey('acts.id', ondelete='CASCADE'), nullable=False, index=True),
        sa.Column('conversion_id', sa.Integer(), sa.ForeignKey('conversions.id', ondelete='CASCADE'), nullable=False),
        sa.Column('version', sa.Integer(), nullable=False),
        sa.Column('changes', sa.JSON(), nullable=False),
    )
    op.create_index('edits_of_conversion', 'edits', ['conversion_id', 'version'])


def downgrade() -> None:
    op.drop_table('edits')
    op.drop_table('acts')
    op.drop_table('outcome_documents')
    op.drop_table('outcomes')
    op.drop_index('conversions_of_look', 'conversions')
    op.drop_index('materials_of_board', 'materials')
    op.drop_column('materials', 'doubtful')
    op.drop_column('materials', 'file')
