"""What boards are sorted and filtered by beside the worst reading: that of each light, the measure that decided, and what is lost"""

import sqlalchemy as sa
from alembic import op

revision = '0018'
down_revision = '0017'


def _of_conversion() -> sa.Column[int]:
    key = sa.ForeignKey('conversions.id', ondelete='CASCADE')
    return sa.Column('conversion_id', sa.Integer(), key, primary_key=True, autoincrement=False)


def upgrade() -> None:
    op.add_column('outcomes', sa.Column('reason', sa.String(40), nullable=False, server_default=''))
    op.alter_column('outcomes', 'reason', existing_type=sa.String(40), existing_nullable=False, server_default=None)
    op.create_table(
        'outcome_readings',
        _of_conversion(),
        sa.Column('rig', sa.String(40), primary_key=True),
        sa.Column('worst', sa.Float(), nullable=False),
    )
    op.create_table('outcome_losses', _of_conversion(), sa.Column('loss', sa.String(200), primary_key=True))


def downgrade() -> None:
    op.drop_table('outcome_losses')
    op.drop_table('outcome_readings')
    op.drop_column('outcomes', 'reason')
