"""YAML that people upload, read by libyaml: plain kinds only, no deep nesting, and no aliases, which make a small file huge."""

from __future__ import annotations

from typing import Any

import yaml

from fenrain.core.plain_data import within_floats

DEEPEST = 32


def load_yaml(text: str) -> Any:
    """What the text holds. Raises yaml.YAMLError, with the line where there is one."""
    _refuse_harm(text)
    try:
        return within_floats(yaml.load(text, Loader=yaml.CSafeLoader))
    except ValueError as reason:  # Python reads no integer of more than 4,300 digits
        raise yaml.YAMLError(f"a number is too long ({reason})") from reason


def compose_yaml(text: str) -> yaml.Node:
    """The same as a tree of nodes that know their lines."""
    _refuse_harm(text)
    return yaml.compose(text, Loader=yaml.CSafeLoader) or yaml.ScalarNode("null", "")


def broken_line(broken: yaml.MarkedYAMLError, text: str) -> int:
    """The line that an error is about, from 1; libyaml marks what is missing at the end as one line further."""
    mark = broken.problem_mark or broken.context_mark
    return min(mark.line, text.count("\n")) + 1 if mark else 1


def _refuse_harm(text: str) -> None:
    depth = 0
    for event in yaml.parse(text, Loader=yaml.CSafeLoader):
        if isinstance(event, yaml.AliasEvent):
            raise yaml.MarkedYAMLError(problem="aliases (*) are not allowed here", problem_mark=event.start_mark)
        depth += isinstance(event, yaml.CollectionStartEvent) - isinstance(event, yaml.CollectionEndEvent)
        if depth > DEEPEST:
            raise yaml.MarkedYAMLError(problem="it is nested too deeply", problem_mark=event.start_mark)
