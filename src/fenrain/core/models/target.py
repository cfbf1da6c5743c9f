"""What a model declares to be one that can be converted to: its profiles, and the format that holds it."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Profile:
    """What a target may hold.

    extensions: those the target may use; largest_map: edge in texels, 0 for no limit; white_luminance: cd/m² of display white where the
    target's renderer is photometric, so that emission is multiplied when it is written; 0 where 1 is white.
    """

    name: str = "extensions"
    extensions: frozenset[str] = frozenset()
    largest_map: int = 0
    white_luminance: float = 0.0


@dataclass(frozen=True)
class Target:
    """One way of being converted to. profile: what it may hold, under the name by which conversions keep it; title: for people;
    format: id of the file format that is written."""

    profile: Profile
    title: str
    format: str
