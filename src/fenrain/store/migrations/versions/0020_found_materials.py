"""What was found in an intake is a row a material, so that it is filtered and paged"""

import json
from typing import Any

import sqlalchemy as sa
from alembic import op

revision = '0020'
down_revision = '0019'


def upgrade() -> None:
    found_materials = op.create_table(
        'found_materials',
        sa.Column('intake_id', sa.Integer(), sa.ForeignKey('intakes.id', ondelete='CASCADE'), primary_key=True, autoincrement=False),
        sa.Column('position', sa.Integer(), primary_key=True, autoincrement=False),
        sa.Column('file', sa.String(400), nullable=False),
        sa.Column('name', sa.String(400), nullable=False),
        sa.Column('model', sa.String(40), nullable=False),
        sa.Column('doubtful', sa.Boolean(), nullable=False),
        sa.Column('without_unit', sa.Boolean(), nullable=False),
        sa.Column('left_out', sa.Boolean(), nullable=False),
        sa.Column('changed', sa.Boolean(), nullable=False),
        sa.Column('document', sa.JSON(), nullable=False),
    )
    for name in ('missing', 'sheets'):
        op.add_column('intakes', sa.Column(name, sa.JSON(), nullable=False, server_default='[]'))
        op.alter_column('intakes', name, existing_type=sa.JSON(), existing_nullable=False, server_default=None)
    # Which files are missing and how sheets were read is told again when an intake is next read.
    connection = op.get_bind()
    for intake_id, found in connection.execute(sa.text("SELECT id, found FROM intakes")).all():
        rows = [_row(intake_id, position, one) for position, one in enumerate(json.loads(found)) if isinstance(one, dict)]
        if rows:
            connection.execute(sa.insert(found_materials), rows)
    op.drop_column('intakes', 'found')


def _row(intake_id: int, position: int, one: dict[str, Any]) -> dict[str, Any]:
    return {
        'intake_id': intake_id,
        'position': position,
        **{name: str(one.get(name, ''))[:400] for name in ('file', 'name')},
        'model': one.get('model', ''),
        'doubtful': any(finding['severity'] != 'note' for finding in one.get('findings', [])),
        'without_unit': one.get('unit', 0) == 0,
        'left_out': False,
        'changed': False,
        'document': one,
    }


def downgrade() -> None:
    op.add_column('intakes', sa.Column('found', sa.JSON(), nullable=False, server_default='[]'))
    op.drop_column('intakes', 'missing')
    op.drop_column('intakes', 'sheets')
    op.drop_table('found_materials')
