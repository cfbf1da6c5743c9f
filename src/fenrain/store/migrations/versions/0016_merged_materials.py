"""Materials that are merged into others"""

import sqlalchemy as sa
from alembic import op

revision = '0016'
down_revision = '0015'


def upgrade() -> None:
    op.add_column('materials', sa.Column('merged_into', sa.Integer(), nullable=True))
    op.create_foreign_key('materials_merged', 'materials', 'materials', ['merged_into'], ['id'], ondelete='SET NULL')
    op.create_index('ix_materials_merged_into', 'materials', ['merged_into'])
    # The index of boards has the new column in it; it serves the project's foreign key too, so the new one is made first.
    op.create_index('materials_of_boards', 'materials', ['project_id', 'merged_into', 'doubtful', 'model', 'file', 'name'])
    op.drop_index('materials_of_board', 'materials')
    op.execute('ALTER TABLE materials RENAME INDEX materials_of_boards TO materials_of_board')


def downgrade() -> None:
    op.create_index('materials_of_boards', 'materials', ['project_id', 'doubtful', 'model', 'file', 'name'])
    op.drop_index('materials_of_board', 'materials')
    op.execute('ALTER TABLE materials RENAME INDEX materials_of_boards TO materials_of_board')
    op.drop_constraint('materials_merged', 'materials', type_='foreignkey')
    op.drop_index('ix_materials_merged_into', 'materials')
    op.drop_column('materials', 'merged_into')
