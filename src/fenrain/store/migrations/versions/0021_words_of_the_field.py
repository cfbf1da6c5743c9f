"""Tables and columns are called by the words that the code uses for them"""

from alembic import op
from sqlalchemy import Integer
from sqlalchemy.dialects import mysql

revision = '0021'
down_revision = '0020'

TABLES = {
    'outcomes': 'conversion_statuses',
    'outcome_readings': 'status_readings',
    'outcome_losses': 'status_losses',
    'outcome_documents': 'status_documents',
    'kept_acts': 'saved_acts',
    'rehearsed': 'rehearsals',
}
COLUMNS = {'marked': ('changes', Integer()), 'settled': ('changes_seen', Integer()), 'shared': ('shared_digest', mysql.VARCHAR(64))}


def upgrade() -> None:
    for old, new in TABLES.items():
        op.rename_table(old, new)
    for old, (new, kind) in COLUMNS.items():
        op.alter_column('conversion_statuses', old, new_column_name=new, existing_type=kind, existing_nullable=False)


def downgrade() -> None:
    for old, (new, kind) in COLUMNS.items():
        op.alter_column('conversion_statuses', new, new_column_name=old, existing_type=kind, existing_nullable=False)
    for old, new in TABLES.items():
        op.rename_table(new, old)
