"""Which of several files of one name a person chose"""

import sqlalchemy as sa
from alembic import op

revision = '0007'
down_revision = '0006'


def upgrade() -> None:
    op.add_column('intakes', sa.Column('chosen', sa.JSON(), nullable=True))
    op.execute("UPDATE intakes SET chosen = '{}'")
    op.alter_column('intakes', 'chosen', existing_type=sa.JSON(), nullable=False)


def downgrade() -> None:
    op.drop_column('intakes', 'chosen')
