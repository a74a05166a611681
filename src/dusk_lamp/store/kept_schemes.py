"""Several schemes of one sculpt: what its regions shall look like, the colours of its light, and the coats. One of
them is on the bench; the others are kept whole until they are taken up again."""

from dataclasses import replace

from sqlalchemy import select
from sqlalchemy.orm import Session

from ..core.coat.coat import Coat, coat_from
from ..core.errors import SettingError
from ..core.plain import built, plain
from ..core.sculpt.marking import Region
from . import markings, schemes
from .cache import Cache
from .laid import Laid
from .models import KeptScheme, Sculpt

MOST_KEPT = 12
FIRST = "First scheme"


def listed(session: Session, sculpt: Sculpt) -> list[KeptScheme]:
    """Those of a sculpt, the oldest first; none as long as there is only the one on the bench."""
    own = select(KeptScheme).where(KeptScheme.sculpt_id == sculpt.id).order_by(KeptScheme.id)
    return list(session.scalars(own))


def one_of(session: Session, sculpt: Sculpt, number: int) -> KeptScheme:
    """One of them.

    Raises:
        SettingError: it is not there any more.
    """
    found = session.get(KeptScheme, number)
    if found is None or found.sculpt_id != sculpt.id:
        raise SettingError("this scheme is not there any more; reload the page")
    return found


def coats_in(kept: KeptScheme) -> list[Coat]:
    """The coats of one that is kept."""
    return [coat_from(c) for c in kept.coats]


def _write(session: Session, sculpt: Sculpt, laid: Laid, cache: Cache, kept: KeptScheme) -> None:
    """Put what is on the bench into a kept scheme."""
    kept.coats = [plain(c) for c in schemes.kept_coats(session, sculpt)]
    kept.choice = plain(schemes.choice_of(session, sculpt))
    kept.regions = plain(markings.marking_of(session, sculpt, laid.site.surface, cache).regions)
    kept.tints = dict(sculpt.tints or {})


def _named(session: Session, sculpt: Sculpt, name: str) -> str:
    name = name.strip()
    if not 1 <= len(name) <= 60:
        raise SettingError("a scheme's name has 1 to 60 letters")
    if any(k.name.casefold() == name.casefold() for k in listed(session, sculpt)):
        raise SettingError(f"there is a scheme called “{name}” already; give this one another name")
    return name


def copy_as(session: Session, sculpt: Sculpt, laid: Laid, cache: Cache, name: str) -> KeptScheme:
    """Keep what is on the bench, and go on with a copy of it under a name.

    Raises:
        SettingError: no name, one that is taken, or too many.
    """
    own = listed(session, sculpt)
    name = _named(session, sculpt, name)
    if len(own) >= MOST_KEPT:
        raise SettingError(f"{MOST_KEPT} schemes are as many as can be kept; let one go first")
    if not own:
        if name.casefold() == FIRST.casefold():
            raise SettingError(f"what you have is kept as “{FIRST}”; give the copy another name")
        first = KeptScheme(sculpt_id=sculpt.id, name=FIRST)
        _write(session, sculpt, laid, cache, first)
        session.add(first)
        session.flush()
    elif sculpt.kept_scheme:
        _write(session, sculpt, laid, cache, one_of(session, sculpt, sculpt.kept_scheme))
    second = KeptScheme(sculpt_id=sculpt.id, name=name)
    _write(session, sculpt, laid, cache, second)
    session.add(second)
    session.flush()
    sculpt.kept_scheme = second.id
    return second


def take(session: Session, sculpt: Sculpt, laid: Laid, cache: Cache, number: int, seen: int) -> None:
    """Put a kept scheme on the bench; what was there is kept.

    Raises:
        SettingError: it is not there any more. ChangedElsewhereError: another state of the coats holds by now.
    """
    wanted = one_of(session, sculpt, number)
    if wanted.id == sculpt.kept_scheme:
        return
    if sculpt.kept_scheme:
        _write(session, sculpt, laid, cache, one_of(session, sculpt, sculpt.kept_scheme))
    choice = built(schemes.Choice, wanted.choice, "how its coats came about")
    schemes.keep(session, sculpt, coats_in(wanted), choice, seen, fresh=True)
    marking = markings.marking_of(session, sculpt, laid.site.surface, cache)
    looks = {r["name"]: built(Region, r, "a region") for r in wanted.regions}
    regions = tuple(looks.get(r.name, r) for r in marking.regions)
    if regions != marking.regions:
        markings.keep(session, sculpt, replace(marking, regions=regions))
    sculpt.tints = dict(wanted.tints)
    sculpt.kept_scheme = wanted.id


def let_go(session: Session, sculpt: Sculpt, number: int) -> None:
    """Forget one that is not on the bench.

    Raises:
        SettingError: it is on the bench, or not there any more.
    """
    own = one_of(session, sculpt, number)
    if own.id == sculpt.kept_scheme:
        raise SettingError("this scheme is on the bench: take up another one first")
    session.delete(own)


def copy(session: Session, first: Sculpt, second: Sculpt) -> None:
    """Give a copied sculpt the schemes of the first."""
    for own in listed(session, first):
        new = KeptScheme(
            sculpt_id=second.id,
            name=own.name,
            coats=own.coats,
            choice=own.choice,
            regions=own.regions,
            tints=own.tints,
        )
        session.add(new)
        session.flush()
        if own.id == first.kept_scheme:
            second.kept_scheme = new.id
