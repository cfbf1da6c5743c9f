"""Stands that are seen from anywhere have longer names"""

import sqlalchemy as sa
from alembic import op

revision = '0009'
down_revision = '0008'


def upgrade() -> None:
    op.alter_column('checks', 'stand', existing_type=sa.String(40), type_=sa.String(60), nullable=False)


def downgrade() -> None:
    op.execute("DELETE FROM checks WHERE CHAR_LENGTH(stand) > 40")
    op.alter_column('checks', 'stand', existing_type=sa.String(60), type_=sa.String(40), nullable=False)
