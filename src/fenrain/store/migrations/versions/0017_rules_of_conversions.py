"""By which rules a conversion was made"""

import sqlalchemy as sa
from alembic import op

revision = '0017'
down_revision = '0016'


def upgrade() -> None:
    op.add_column('conversions', sa.Column('rules', sa.String(16), nullable=False, server_default=''))
    op.alter_column('conversions', 'rules', existing_type=sa.String(16), existing_nullable=False, server_default=None)
    op.create_index('conversions_of_rules', 'conversions', ['target', 'profile', 'rules', 'material_id'])


def downgrade() -> None:
    op.drop_index('conversions_of_rules', 'conversions')
    op.drop_column('conversions', 'rules')
