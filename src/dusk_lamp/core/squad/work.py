"""A squad worked out: every model with the scheme's plan on it, the steps they share, and what they take together."""

from collections import Counter
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property

from ..coat.coat import Coat
from ..errors import SettingError
from ..paint.rack import Rack
from ..plain import rounded
from ..plan.context import Context
from ..plan.document import Plan
from ..plan.registry import features
from ..plan.run import Run, run
from ..plan.steps.step import Step, key_of_step
from .carry import plan_carried
from .document import Member, Squad
from .matching import RegionMatch, regions_matched
from .paint import Needed, paint_for
from .palette import with_puddles

Say = Callable[[str, float], None]


@dataclass(frozen=True)
class Model:
    """One sculpt of a squad, worked out. name: of it. count: how many. matches: of its regions. run: its plan.
    is_scheme: whether it is the scheme's own sculpt."""

    name: str
    count: int
    matches: tuple[RegionMatch, ...]
    run: Run
    is_scheme: bool = False

    @property
    def steps(self) -> list[Step]:
        """Its steps."""
        return self.run.steps

    @cached_property
    def keys(self) -> list[str]:
        """What is the same for steps done from one puddle, step by step: its regions by the scheme's names."""
        names = {m.region: m.scheme for m in self.matches if m.scheme}
        return puddle_keys(self.run.steps, names)


@dataclass(frozen=True)
class Together:
    """A squad worked out. scheme: the scheme's own plan. models: all of them. needed: paint for all of them. missing:
    paints that the plans use and the rack lacks."""

    squad: Squad
    scheme: Run
    models: tuple[Model, ...]
    needed: tuple[Needed, ...]
    missing: tuple[str, ...] = ()
    hand_minutes: float = rounded(1, 0.0)

    @property
    def shared(self) -> float:
        """The share of steps that at least one other model has too; 1 for one model alone."""
        return shared_of([m.keys for m in self.models])


def shared_of(keys: Sequence[Sequence[str]]) -> float:
    """The share of steps, by each model's keys, that at least one other model has too; 1 for one model alone."""
    wearers = Counter(key for keys_here in keys for key in set(keys_here))
    several = [key for keys_here in keys for key in keys_here]
    if len(keys) < 2 or not several:
        return 1.0
    return sum(wearers[key] > 1 for key in several) / len(several)


def puddle_keys(steps: Sequence[Step], names: Mapping[str, str] | None = None) -> list[str]:
    """A key for each step; two alike of one model differ by their order."""
    seen: dict[str, int] = {}
    out = []
    for step in steps:
        key = key_of_step(step, (names or {}).get(step.goes_on, step.goes_on))
        seen[key] = seen.get(key, 0) + 1
        out.append(key if seen[key] == 1 else f"{key} ({seen[key]})")
    return out


def worked_out(
    squad: Squad,
    scheme: Context,
    contexts: Sequence[tuple[Member, Context, bool]],
    rack: Rack | None = None,
    say: Say = lambda *_: None,
) -> Together:
    """A squad with the scheme carried over to each of its models.

    Args:
        scheme: the scheme's plan on its sculpt. contexts: each model's own plan on its sculpt, and whether that
        is the scheme's own. rack: what there is, to tell what is missing; None where that does not matter.

    Raises:
        SettingError: nothing of a model takes after the scheme, or an exception is none; it names the model.
    """
    if not contexts:
        raise SettingError("a squad needs at least one model; add one")
    say("The scheme", 0.0)
    first = run(scheme)
    models = []
    for k, (member, context, is_scheme) in enumerate(contexts):
        say(model_name(member), (k + 1) / (len(contexts) + 1))
        try:
            models.append(_model(member, context, is_scheme, scheme.plan, first))
        except SettingError as e:
            raise SettingError(f"{model_name(member)}: {e}") from e
    everyone = [m for m in models for _ in range(m.count)]
    drops = scheme.tools.drops_per_ml
    needed = paint_for([m.steps for m in everyone], drops)
    owned = None if rack is None else {p.name.casefold() for p in rack}
    used = dict.fromkeys(name for m in models for s in m.steps for name in s.parts)
    missing = [] if owned is None else [name for name in used if name.casefold() not in owned]
    hand = sum(s.hand_minutes for m in everyone for s in m.steps)
    return Together(squad, first, tuple(models), tuple(needed), tuple(missing), hand)


def _model(member: Member, context: Context, is_scheme: bool, scheme: Plan, first: Run) -> Model:
    if is_scheme and not member.changes:
        matches = regions_matched(context.plan.regions, scheme.regions)
        return Model(model_name(member), member.count, tuple(matches), first, True)
    done, matches = on_model(context, scheme, first.coats, member)
    return Model(model_name(member), member.count, tuple(matches), run(done), is_scheme)


def on_model(
    context: Context, scheme: Plan, coats: Sequence[Coat], member: Member
) -> tuple[Context, list[RegionMatch]]:
    """A sculpt's plan with the scheme carried over and every stage laid, and how its regions match.

    Args:
        scheme: the scheme's plan; coats: of it, muted ones left out.

    Raises:
        SettingError: nothing of it takes after the scheme, or an exception is none.
    """
    matches = regions_matched(context.plan.regions, scheme.regions, member.matches)
    if context.plan.regions and not any(m.scheme_id for m in matches):
        raise SettingError("none of its regions takes after one of the scheme; match them by hand")
    plan = plan_carried(scheme, context.plan, matches, member.changes)
    different = {n.casefold() for n in member.changes}
    takes_after = {m.id: m.scheme_id for m in matches if m.scheme_id and m.region.casefold() not in different}
    done = with_puddles(context.on(replace(plan, models=member.count)), coats, takes_after)
    return done.on(replace(done.plan, settled=tuple(features()))), matches


def model_name(member: Member) -> str:
    """What a model is called: its name, or its file's."""
    return member.name or member.file.rsplit("/", 1)[-1].rsplit(".", 1)[0] or "a model"
