"""Where acts of the audit came from, and the name that was given by whoever was not let in"""

import sqlalchemy as sa
from alembic import op

revision = '0024'
down_revision = '0023'


def upgrade() -> None:
    for name, length in (('source', 45), ('tried_as', 80)):
        op.add_column('audit', sa.Column(name, sa.String(length), nullable=False, server_default=''))
        op.alter_column('audit', name, existing_type=sa.String(length), existing_nullable=False, server_default=None)


def downgrade() -> None:
    op.drop_column('audit', 'tried_as')
    op.drop_column('audit', 'source')
