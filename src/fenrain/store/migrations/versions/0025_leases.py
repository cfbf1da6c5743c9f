"""Items of jobs have a lease whose number grows whenever they are taken or taken away"""

import sqlalchemy as sa
from alembic import op

revision = '0025'
down_revision = '0024'


def upgrade() -> None:
    op.add_column('job_items', sa.Column('lease', sa.Integer(), nullable=False, server_default='0'))
    op.alter_column('job_items', 'lease', existing_type=sa.Integer(), existing_nullable=False, server_default=None)


def downgrade() -> None:
    op.drop_column('job_items', 'lease')
