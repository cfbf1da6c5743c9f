"""What converted values are good for: of projects, and of conversions that have an aim of their own. Projects go on as they were"""

import sqlalchemy as sa
from alembic import op

revision = '0023'
down_revision = '0022'


def upgrade() -> None:
    op.add_column('projects', sa.Column('aim', sa.String(16), nullable=False, server_default='nearest'))
    op.alter_column('projects', 'aim', existing_type=sa.String(16), existing_nullable=False, server_default=None)
    op.add_column('conversions', sa.Column('aim', sa.String(16), nullable=False, server_default=''))
    op.alter_column('conversions', 'aim', existing_type=sa.String(16), existing_nullable=False, server_default=None)
    op.add_column('conversion_statuses', sa.Column('unusual', sa.Integer(), nullable=False, server_default='0'))
    op.alter_column('conversion_statuses', 'unusual', existing_type=sa.Integer(), existing_nullable=False, server_default=None)


def downgrade() -> None:
    op.drop_column('conversion_statuses', 'unusual')
    op.drop_column('conversions', 'aim')
    op.drop_column('projects', 'aim')
