"""The context: a plan on one sculpt, and all that its features may ask: light, local colours, target, what lies
below.

There is one target. Every feature that changes what the model ought to look like does so here, one after another: the
lamp's light dimmed to dusk → glows → local colours → metal → wear. Coats of a feature aim at the target as far
as that stage and the ones painted before it make it: colours are laid without the glow that is tinted over them
later.
"""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import fields, replace
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..coat.coat import Coat
from ..datasets.materials import UNMARKED, material_called
from ..light.key import Stop
from ..light.lamp import Lamp
from ..light.rig import Light
from ..paint.rack import Rack
from ..paint.whites import mix_of, white_called
from ..plain import plain
from ..results import Results, digest, result
from ..sculpt.site import Site
from ..sculpt.stand import Placing
from ..sculpt.surface import quick_samples
from ..target.exposure import laid_between
from ..target.local import Local, local_of, usual_local
from ..target.target import Target, greys_of, target
from ..workplace.tools import Tools
from .brief import ABOVE, Brief, brief_of
from .document import Plan
from .simulation import Simulation

REST = usual_local(UNMARKED, "quiet")  # what nobody has marked stays a grey sketch
ColourOf = Callable[[str], str | None]  # `#rrggbb` of a paint, a recipe or a white by its name; None where it is gone


def colours_on(rack: Rack) -> ColourOf:
    """The colours of paints and whites by their names on a rack."""

    def find(name: str) -> str | None:
        white = white_called(name)
        mix = mix_of(white, rack) if white else None
        if mix is not None:
            return mix.colour.hex
        return next((p.looks.hex for p in rack if p.name.casefold() == name.strip().casefold()), None)

    return find


class Context:
    """A plan on a site.

    plan: the document. site: the sculpt with the plan's regions. rack, tools: what there is. placing: from the file's
    axes, in which places are kept, to the bench. colour_of: of a paint's name. features: those of the registry.
    results: of this sculpt. quick: the site at its quick samples with their numbers; worked out where it is not
    given."""

    def __init__(
        self,
        plan: Plan,
        site: Site,
        rack: Rack,
        tools: Tools,
        placing: Placing,
        colour_of: ColourOf | None = None,
        quick: tuple[NDArray[np.int32], Site] | None = None,
        *,
        results: Results | None = None,
        features: Mapping[str, Any],
    ) -> None:
        self.plan, self.site, self.rack, self.tools, self.placing = plan, site, rack, tools, placing
        self.features = features
        self.results = Results() if results is None else results
        self.simulation = Simulation(site, self.results)
        self._colour_of = colour_of or colours_on(rack)
        self._quick = quick

    def on(self, plan: Plan, tools: Tools | None = None) -> "Context":
        """The same sculpt with another plan for the same regions, and with other tools where they are given; all that
        is known of the sculpt is shared."""
        site = self.site
        if plan.regions != site.marking.regions:
            site = site.marked(replace(site.marking, regions=plan.regions))
        return Context(
            plan,
            site,
            self.rack,
            tools or self.tools,
            self.placing,
            self._colour_of,
            self._quick,
            results=self.results,
            features=self.features,
        )

    def with_coats(self, coats: Sequence[Coat]) -> "Context":
        """The same plan with other coats."""
        return self.on(replace(self.plan, coats=tuple(coats)))

    def feature(self, name: str) -> Any:
        """A feature by its name."""
        return self.features[name]

    def wishes(self, feature: str) -> Any:
        """What the painter wants of a feature."""
        return self.plan.wishes_of(feature)

    def aiming(self, last: int | None = None) -> list[Any]:
        """The features that change the target, in the order they do; up to an order of coats."""
        found = [f for f in self.features.values() if f.aims is not None and (last is None or f.order <= last)]
        return sorted(found, key=lambda f: f.aims)

    @property
    def lamp(self) -> Lamp:
        """The lamp; straight above where it is off."""
        return self.plan.light.lamp or ABOVE

    @property
    def view(self) -> tuple[float, float]:
        """Azimuth and elevation of the display view, degrees."""
        return self.plan.display.azimuth, self.plan.display.elevation

    @cached_property
    def quick(self) -> tuple[NDArray[np.int32], Site]:
        """The numbers of the quick samples, and the site at those only."""
        if self._quick is None:
            chosen, between = quick_samples(self.site.surface)
            self._quick = chosen, self.site.only(chosen, between)
        return self._quick

    # --- light and target
    def lit(self, stopped: Stop = None) -> Target:
        """The greys under the rig as it is set, before dusk and glows.

        Raises:
            Stopped: `stopped` said so.
        """
        return self._lit(stopped)

    @result(most=2, depends=lambda self, stopped: (self._light_key, digest(self.plan.exposure)), rests=True)
    def _lit(self, stopped: Stop) -> Target:  # 6 MB: the light that is kept, and the one being tried
        found = self.results.outlasting.fields(self._light_key)
        if found is None:
            return target(self.site, self.plan.light, exposure=self.plan.exposure, stopped=stopped)
        return self.relit(Light(**found))

    @property
    def _light_key(self) -> str:
        return digest("light", self.plan.light, self.site.looked)

    @cached_property
    def grey(self) -> Target:
        """The greys under the lamp at dusk, without any glow."""
        lit = self.lit()
        self._keep_light(lit.light)
        return lit if self.plan.dusk == 1 else self.relit(lit.light.dimmed(self.plan.dusk))

    @result(most=4, depends=lambda self, light: self._light_key)
    def _keep_light(self, light: Light) -> bool:
        """Once for all: others are tried out, this one is built on."""
        parts = {f.name: getattr(light, f.name) for f in fields(light)}
        kept = {name: part for name, part in parts.items() if part is not None}
        self.results.outlasting.keep(self._light_key, kept)
        return True

    def relit(self, light: Light) -> Target:
        """The greys under another light."""
        return greys_of(light, self.plan.light, self.plan.exposure)

    @cached_property
    def share(self) -> NDArray[np.float32]:
        """(N,) the values of the lamp at dusk as shares of the way from no light to full light: what an undercoat
        aims at."""
        return laid_between(self.grey.value, self.plan.exposure, 0.0, 1.0)

    @cached_property
    def locals(self) -> list[Local]:
        """The local colours of the rest and of every region; of a paint that is gone, what its material usually
        has."""
        out = [REST]
        for region in self.site.marking.regions:
            named = region.colour and not region.colour.startswith("#")
            out.append(local_of(region, self._colour_of(region.colour) if named else None))
        return out

    @property
    def gloss(self) -> NDArray[np.float32]:
        """(N,) how shiny what each sample is made of is, 0..1."""
        return np.array([material_called(local.material).gloss for local in self.locals], np.float32)[
            self.site.labels
        ]

    def target_key(self, upto: str | None = None) -> str:
        """All that the target depends on, as far as a stage makes it."""
        plan, last = self.plan, None if upto is None else self.features[upto].order
        wishes = [plan.wishes.get(s.name) for s in self.aiming(last)]
        return digest(
            plan.light,
            plan.exposure,
            plan.dusk,
            plan.tints,
            plan.small_forms,
            self.site.looked,
            self.site.labels,
            self.locals,
            self.site.marking.ids,
            plain(self.view),
            [plain(w) for w in wishes],
            [s.name for s in self.aiming(last)],
        )

    def target(self, upto: str | None = None) -> Target:
        """What each spot ought to look like; as far as a stage and those before it make it, or all of it."""
        return self._target(upto)

    @result(most=3, depends=lambda self, upto: self.target_key(upto))  # 3 MB each
    def _target(self, upto: str | None) -> Target:
        aim = self.grey
        for feature in self.aiming(None if upto is None else self.features[upto].order):
            aim = feature.target(self, aim)
        return aim

    # --- coats
    def coats(self, *names: str) -> list[Coat]:
        """The coats of some stages, in order."""
        return [c for c in self.plan.coats if c.stage in names]

    def before(self, stage: str) -> list[Coat]:
        """The coats of the stages before one."""
        order = self.features[stage].order
        return [c for c in self.plan.coats if self.order_of(c) < order]

    def after(self, stage: str) -> list[Coat]:
        """The coats of the stages after one."""
        order = self.features[stage].order
        return [c for c in self.plan.coats if self.order_of(c) > order]

    def seen_before(self, stage: str) -> NDArray[np.float32]:
        """(N, 36) the model as the stages before one leave it."""
        return self.simulation.reflectance(self.before(stage))

    def brief(self, feature: str, number: int) -> Brief:
        """What is to be painted on a region by the coats of a feature.

        Raises:
            SettingError: nothing of it can be painted.
        """
        under = self.seen_before(feature)
        return brief_of(self.site, self.target(feature), number, under, self.rack, self.tools, self.lamp)

    def order_of(self, coat: Coat) -> int:
        """Where the feature of a coat comes among all; one that is not known comes first."""
        feature = self.features.get(coat.stage)
        return 0 if feature is None else feature.order
