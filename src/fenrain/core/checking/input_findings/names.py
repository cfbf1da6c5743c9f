"""Files whose names say another thing than the slot they are in."""

import re
from collections.abc import Iterator

from fenrain.core.checking.input_findings.registry import PRACTICE, Read
from fenrain.core.findings import Finding, warning
from fenrain.core.models.parameter import Role

WORDS = {
    "roughness": ("rough", "roughness", "rgh"),
    "glossiness": ("gloss", "glossiness", "smooth", "smoothness"),
    "metalness": ("metal", "metallic", "metalness"),
    "a normal map": ("normal", "normals", "nrm", "nrml"),
    "occlusion": ("ao", "occlusion", "ambientocclusion"),
    "a body colour": ("diffuse", "albedo", "basecolor", "basecolour", "diff"),
    "opacity": ("opacity", "alpha"),
    "emission": ("emissive", "emission", "glow"),
    "relief": ("height", "bump", "displacement", "disp"),
}
"""Words by which pipelines call their maps (common practice)."""
MEANT_BY = {
    Role.ROUGHNESS: "roughness",
    Role.COAT_ROUGHNESS: "roughness",
    Role.GLOSSINESS: "glossiness",
    Role.METALNESS: "metalness",
    Role.NORMAL: "a normal map",
    Role.OCCLUSION: "occlusion",
    Role.BASE_COLOR: "a body colour",
    Role.OPACITY: "opacity",
    Role.EMISSION_COLOR: "emission",
    Role.HEIGHT: "relief",
}
OPPOSITES = {("roughness", "glossiness"), ("glossiness", "roughness")}
ALPHA_OF = {"opacity", "glossiness"}
"""What often lies in the alpha of a map that is called otherwise."""


def find(read: Read) -> Iterator[Finding]:
    """Of an image that serves for several values on purpose, its name says one."""
    serves: dict[str, set[str]] = {}
    for parameter, value in read.maps():
        serves.setdefault(value.image.digest, set()).add(MEANT_BY.get(parameter.role, "") if parameter.role is not None else "")
    for parameter, value in read.maps():
        meant = MEANT_BY.get(parameter.role) if parameter.role is not None else None
        said = _said(value.image.name)
        if said & (serves[value.image.digest] - {meant}):
            continue
        packed = len(value.channels) == 1 and len(said) != 1
        if meant is None or not said or meant in said or packed or (value.channels == "a" and meant in ALPHA_OF):
            continue
        called = " and ".join(sorted(said))
        opposite = any((meant, other) in OPPOSITES for other in said)
        if not opposite and len(value.channels) == 1:
            continue  # a channel of a packed map is called after one of them
        yield warning(
            "name-says-otherwise",
            f"{parameter.name}: “{value.image.name}” is called {called}, but is read as {meant}.",
            parameter=parameter.name,
            evidence=value.image.name,
            usual="the name of what it holds; a name is no proof",
            source=PRACTICE,
            remedy="Turn it: white for black." if opposite else "Check that it is the right file.",
            fix={"invert": True} if opposite else None,
        )


def _said(name: str) -> set[str]:
    """What the words of a file's name call it."""
    stem = name.rsplit(".", 1)[0]
    words = re.findall(r"[a-z]+", re.sub(r"([a-z])([A-Z])", r"\1 \2", stem).lower())
    whole = {"".join(words[at : at + 2]) for at in range(len(words))} | set(words)
    return {meaning for meaning, known in WORDS.items() if whole & set(known)}


FIND = find
