"""The reference: made from what models, rules, findings, readings and steps declare of themselves, so that it says what the code does."""

from fenrain.core.reference.document import Section, Table, Topic, as_markdown
from fenrain.core.reference.topics import TOPICS

__all__ = ["TOPICS", "Section", "Table", "Topic", "as_markdown"]
