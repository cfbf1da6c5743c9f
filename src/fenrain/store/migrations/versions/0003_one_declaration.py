"""Files that are no material's, parameters by the field's words, steps of dialects as values, emission in scene units"""

import json

import sqlalchemy as sa
from alembic import op

revision = '0003'
down_revision = '0002'

RENAMED = {
    "percent": {"luminance": "emission_luminance", "filter_color": "emission_color"},
    "gloss_pair": {"highlight_apart": "lamps_apart", "highlight_glossiness": "lamp_glossiness"},
}
IN_EVERY_MODEL = {"relief": "bump", "relief_strength": "bump_strength"}
COUNTED_IN_CANDELA = ("emission_luminance", "emissive_strength")
WHITE_LUMINANCE = 100.0


def upgrade() -> None:
    op.add_column('intakes', sa.Column('unused', sa.JSON(), nullable=True))
    op.execute("UPDATE intakes SET unused = '[]'")
    op.alter_column('intakes', 'unused', existing_type=sa.JSON(), nullable=False)
    _rewrite("materials", "document", _renamed)
    _rewrite("conversions", "overrides", _in_scene_units)
    op.execute("UPDATE conversions SET document = '{}'")
    op.execute("DELETE FROM checks")


def downgrade() -> None:
    op.drop_column('intakes', 'unused')


def _rewrite(table, column, change) -> None:
    connection = op.get_bind()
    for identity, stored in connection.execute(sa.text(f"SELECT id, {column} FROM {table}")).all():
        document = json.loads(stored) if isinstance(stored, str) else stored
        connection.execute(
            sa.text(f"UPDATE {table} SET {column} = :changed WHERE id = :id"), {"changed": json.dumps(change(document)), "id": identity}
        )


def _renamed(material):
    names = IN_EVERY_MODEL | RENAMED.get(material["model"], {})
    values = {names.get(name, name): _as_steps(value) for name, value in material["values"].items()}
    parts = {"parts": [_renamed(part) for part in material["parts"]]} if "parts" in material else {}
    return {**material, "values": values, **parts}


def _as_steps(value):
    computed = value.get("computed")
    if computed is None or computed["rule"] != "dialect.chain":
        return value
    inputs = computed["inputs"]
    return {
        "stepped": {
            "source": inputs["value"],
            "steps": json.loads(inputs["steps"]["constant"]),
            "factor": inputs["factor"]["constant"],
            "channels": inputs["channels"]["constant"],
        }
    }


def _in_scene_units(overrides):
    for name in COUNTED_IN_CANDELA:
        stored = overrides.get(name, {}).get("value", {})
        if "constant" in stored:
            stored["constant"] /= WHITE_LUMINANCE
    return overrides
