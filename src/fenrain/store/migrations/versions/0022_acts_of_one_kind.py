"""Acts on many say only what belongs to their kind, and edits of whole materials say in words what became of them"""

import json
from collections.abc import Callable
from typing import Any

from alembic import op
from sqlalchemy import text

revision = '0022'
down_revision = '0021'

KINDS = {'put back': 'reset', 'renew': 'convert again'}
FIELDS = {
    'set': ('groups', 'values'),
    'copy': ('groups', 'from_id'),
    'grade': ('name', 'steps'),
    'reset': ('groups',),
    'fit': (),
    'merge': (),
    'variant': ('name',),
    'convert again': (),
    'profile': ('name', 'text', 'version'),
    'dialect': ('name', 'text', 'version'),
}


def upgrade() -> None:
    _rewrite('acts', 'rule', _rule)
    _rewrite('saved_acts', 'rule', _rule)
    _rewrite('job_items', 'payload', _rule)
    _rewrite('edits', 'changes', _changes)
    _rewrite('rehearsals', 'changes', _changes)
    op.execute("UPDATE acts SET kind = 'reset' WHERE kind = 'put back'")
    op.execute("UPDATE job_items SET work = 'rehearse on all' WHERE work IN ('find alike', 'reread')")
    # What takes an act back does by its kind what that one did.
    op.execute(
        "UPDATE acts AS undoing JOIN acts AS done ON done.id = JSON_VALUE(undoing.rule, '$.undoes') "
        "SET undoing.rule = JSON_SET(undoing.rule, '$.act', JSON_EXTRACT(done.rule, '$.act')) WHERE JSON_EXISTS(done.rule, '$.act')"
    )


def downgrade() -> None:
    op.execute("UPDATE job_items SET work = 'find alike' WHERE work = 'rehearse on all'")
    op.execute("UPDATE acts SET kind = 'put back' WHERE kind = 'reset'")


def _rewrite(table: str, column: str, changed: Callable[[Any], Any]) -> None:
    bind = op.get_bind()
    for identity, stored in bind.execute(text(f'SELECT id, {column} FROM {table}')).all():
        document = json.loads(stored) if isinstance(stored, str) else stored
        new = changed(document)
        if new != document:
            bind.execute(text(f'UPDATE {table} SET {column} = :new WHERE id = :id'), {'new': json.dumps(new), 'id': identity})


def _rule(document: Any) -> Any:
    act = document.get('act') if isinstance(document, dict) else None
    if not act:
        return document
    kind = KINDS.get(act['kind'], act['kind'])
    return {**document, 'act': {'kind': kind, **{name: act[name] for name in FIELDS[kind] if name in act}}}


def _changes(document: Any) -> Any:
    if 'material' not in document:
        return document
    before, after = document['material']
    return {**document, 'material': [_whole(before), _whole(after)]}


def _whole(change: Any) -> Any:
    if change is None or 'says' in change:
        return change
    if 'into' in change:
        return {'says': f"merged into “{change['name']}” ({change['difference']})", 'into': change['into']}
    if 'variant' in change:
        return {'says': f"made a variant, “{change['variant']}”", 'name': change['variant']}
    said = {'look': 'converted again by newer rules', 'profile': 'converted again by the profile', 'read': 'read again by its dialect'}
    for key, words in said.items():
        if key in change:
            more = len(change[key]) - 3
            says = f"{words}: {', '.join(change[key][:3])}" + (f' and {more} more' if more > 0 else '')
            return {'says': says, **({'document': change['document']} if 'document' in change else {})}
    return {'says': 'read as before', **change}
