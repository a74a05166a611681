"""The squad: whose scheme it is, who belongs to it, and what is an exception, as a file holds it."""

import json
from dataclasses import dataclass, field
from typing import Any

from ..errors import SettingError
from ..plain import built, checked, number, text
from ..plan.document import MOST_MODELS

VERSION = 1
MOST_MEMBERS = 60
# of a region: what comes from the scheme, and what may differ from it
LOOKS = ("material", "attention", "colour", "low", "middle", "high", "shadow", "light", "dark", "bright", "way")


@dataclass(frozen=True)
class Member:
    """One sculpt of a squad. file: its plan, or its sculpt, beside the squad. name: "" for the file's. count: of it.
    matches: which region of the scheme a region of it is, by their names, where that was set by hand; "" for
    none. changes: what is different on it, by the names of its own regions: fields of a region."""

    file: str = text("", (0, 400), "a model's file")
    name: str = text("", (0, 120), "a model's name")
    count: int = number(1, 1, MOST_MODELS, "how many of a model")
    matches: dict[str, str] = field(default_factory=dict)
    changes: dict[str, dict[str, Any]] = field(default_factory=dict)

    def __post_init__(self) -> None:
        checked(self)
        for region, change in self.changes.items():
            strange = (
                [k for k in change if k not in LOOKS] if isinstance(change, dict) else ["what is no list of fields"]
            )
            if strange:
                raise SettingError(
                    f"what differs on {str(region)[:40]} is one of {', '.join(LOOKS)}, not '{str(strange[0])[:40]}'"
                )


@dataclass(frozen=True)
class Squad:
    """A squad. scheme: the file of the plan whose light, colours, wishes and palette all take. models: who belongs to
    it; the scheme's own sculpt only where it is among them."""

    squad: int = VERSION
    name: str = text("Squad", (1, 120), "a squad's name")
    scheme: str = text("", (0, 400), "the scheme's file")
    models: tuple[Member, ...] = ()

    def __post_init__(self) -> None:
        checked(self)
        if len(self.models) > MOST_MEMBERS:
            raise SettingError(
                f"a squad has at most {MOST_MEMBERS} different models; this one has {len(self.models)}"
            )
        if self.count > MOST_MODELS:
            raise SettingError(f"a squad has at most {MOST_MODELS} models; this one has {self.count}")

    @property
    def count(self) -> int:
        """How many models it has."""
        return sum(m.count for m in self.models)


def squad_of(given: Any) -> Squad:
    """A squad from plain values.

    Raises:
        SettingError: it is none, garbled, or of a newer version.
    """
    version = given.get("squad") if isinstance(given, dict) else None
    if isinstance(version, bool) or not isinstance(version, int) or version < 1:
        raise SettingError(f'this is no squad: it has no "squad": {VERSION}; see docs/formats.md')
    if version > VERSION:
        raise SettingError(f"this squad was made by a newer Dusk Lamp (version {version}); update it first")
    strange = [k for k in given if k not in ("squad", "name", "scheme", "models")]
    if strange:
        raise SettingError(f"a squad has squad, name, scheme and models, not “{str(strange[0])[:40]}”")
    models = given.get("models", [])
    if not isinstance(models, list) or not all(isinstance(m, dict) for m in models):
        raise SettingError("the models of a squad are a list, each with its file")
    for member in models:
        strange = [k for k in member if k not in ("file", "name", "count", "matches", "changes")]
        if strange:
            raise SettingError(f"a model has file, name, count, matches and changes, not “{str(strange[0])[:40]}”")
    return built(Squad, given, "the squad")


def read_squad(content: bytes) -> Squad:
    """The squad in a file.

    Raises:
        SettingError: see squad_of.
    """
    try:
        given = json.loads(content)
    except (ValueError, RecursionError) as e:
        raise SettingError("this squad is no JSON, or is cut short; write it again") from e
    return squad_of(given)
