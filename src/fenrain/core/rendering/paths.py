"""Paths of light through a scene of one body on a ground.

Two looks of a pair are compared in one of two ways, of which a pilot finds the quieter:

- *Twins*: each look walks its own paths, by the same numbers in the same order, and picks the same aspect by them (see `body.chances`).
  What is drawn for, and how far paths go, is then the same for both (`Plan`), whatever either alone would need.
- *Shared*: both ride on one path, whose directions are drawn from a mixture of both by what each carries; each weighs it by its own values.

Equal looks differ by nothing either way, and the noise of a difference shrinks with the difference.

References
- Veach 1997, Robust Monte Carlo Methods for Light Transport Simulation: light and lobe sampling by the power heuristic (§9.2), Russian
  roulette (§10.4.1).
- Distances in a medium whose channels differ: the one-sample mixture of the channels' exponentials (Kutz et al. 2017, Spectral and
  Decomposition Tracking, §3).
- Henyey & Greenstein 1941: the phase function.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from fenrain.core.optics.arrays import PI
from fenrain.core.rendering.body import Body, Medium
from fenrain.core.rendering.engine import dr, mi
from fenrain.core.rendering.interactions import SurfaceInteraction, SurfaceInteractions, surface_interaction
from fenrain.core.rendering.random_numbers import Numbers
from fenrain.core.rendering.stage import Light, Stage

MOST_STRAIGHT = 4
"""Openings, and boundaries that do not bend, that light from the sky may cross on its way to where it is looked for."""
MOST_CROSSED = 16
"""The same of a whole path."""
ROULETTE_FROM = 6
OPAQUE_DEPTH, CLEAR_DEPTH, SCATTERING_DEPTH = 12, 32, 128


@dataclass(frozen=True)
class Plan:
    """What paths of both looks of a pair are walked for. depth: segments of a path; lit: the ground is lit by what they find, since a look
    changes the light on it, else they only ever lead away from the outside of the body; straight: something may be crossed unbent;
    scatters: there is a medium; tells_lamps: lamps light one of them otherwise than their surroundings do."""

    depth: int
    lit: bool
    straight: bool
    scatters: bool
    tells_lamps: bool


def plan_for(*bodies: Body, props: bool, moved: bool) -> Plan:
    """One plan for all looks of a pair. props: whether things stand beside them, which a look lights as well; moved: whether one of them is
    displaced, so that its shadow is its own."""
    scatters = any(body.medium is not None for body in bodies)
    clear = any(body.transmits or body.opens for body in bodies)
    return Plan(
        SCATTERING_DEPTH if scatters else CLEAR_DEPTH if clear else OPAQUE_DEPTH,
        props or moved or any(body.changes_ground for body in bodies),
        any(body.opens or body.subsurface for body in bodies),
        scatters,
        any(body.tells_lamps for body in bodies),
    )


@dataclass(frozen=True)
class Views:
    """Where paths begin, whatever the looks are: numbers of which those for the camera are drawn; rig: which of those in the light lights
    each; the place that is seen, where it is, which body it lies on, and the light that comes back past the bodies."""

    numbers: Numbers
    rig: Any
    at: Any
    on_body: Any
    on_ground: Any
    which: Any
    seen: Any


def views(stage: Stage, light: Light, rig: Any, pixel: Any, numbers: Numbers) -> Views:
    """Through places within pixels."""
    ray = stage.rays(pixel, numbers.next_2d())
    at, on_body, on_ground, which = stage.meets(ray, mi.Bool(True))
    gone = ~(on_body | on_ground)
    seen = dr.select(gone, light.sky.radiance(rig, ray.d, gone), 0.0)
    if light.ground is not None:
        seen = dr.select(on_ground, light.ground.radiance(rig, at.p), seen)
    return Views(numbers, rig, at, on_body, on_ground, which, mi.Color3f(seen))


def radiance(
    stage: Stage, light: Light, begun: Views, bodies: Sequence[Body], plan: Plan, depth: Any, crowd: Sequence[Body] | None = None
) -> list[Any]:
    """What comes back along views for each look, linear. bodies: one, or two that share their paths, which takes a plan without anything
    straight or scattering; crowd: of the other bodies on the stage, which then takes one body."""
    assert len(bodies) == 1 or not (plan.straight or plan.scatters or crowd)
    walk = _Walk(stage, light, begun.rig, bodies, plan, crowd)
    begun = dr.copy(begun)  # what is kept of it must not move on with the paths
    paths = Paths(
        numbers=begun.numbers,
        at=begun.at,
        on_body=begun.on_body,
        who=[begun.which] if crowd is not None else [],
        floating=mi.Bool(False),
        throughputs=[mi.Color3f(1.0) for _ in bodies],
        to_lamps=[mi.Color3f(1.0) for _ in bodies] if plan.tells_lamps else [],
        lights=[mi.Color3f(begun.seen) for _ in bodies],
        pdf=mi.Float(0.0),
        crossed=mi.UInt32(0),
        events=mi.UInt32(0),
        active=(begun.on_body | begun.on_ground) if plan.lit else mi.Bool(begun.on_body),
    )
    if stage.convex and not plan.lit:
        return list(walk.step(depth, paths).lights)
    (found,) = dr.while_loop(
        (paths,), lambda paths: paths.active, lambda paths: (walk.step(depth, paths),), labels=("paths",), label="paths"
    )
    return list(found.lights)


@dataclass
class Paths:
    """All paths at once, each where it stands. at: the place; on_body: whether that is a body's, who: which of several; floating: within a
    medium; throughputs: what each look carries, to_lamps: the same for light of lamps, where that is another number; lights: what has come
    back so far; pdf: of the last direction that was drawn; crossed: what was passed straight since then; events: directions that were
    drawn; active: whether it goes on."""

    numbers: Numbers
    at: Any
    on_body: Any
    who: list[Any]
    floating: Any
    throughputs: list[Any]
    to_lamps: list[Any]
    lights: list[Any]
    pdf: Any
    crossed: Any
    events: Any
    active: Any


@dataclass(frozen=True)
class _Place:
    """Where paths stand. met: what each look is met as; mixture: how often the first of two draws the direction; solid: on a surface of a
    body; floating: within a medium."""

    met: Sequence[SurfaceInteraction | SurfaceInteractions]
    mixture: Any
    at: Any
    solid: Any
    floating: Any


class _Walk:
    """One step of all paths at a time."""

    def __init__(self, stage: Stage, light: Light, rig: Any, bodies: Sequence[Body], plan: Plan, crowd: Sequence[Body] | None) -> None:
        self.stage, self.sky, self.ground, self.rig = stage, light.sky, light.ground, rig
        self.bodies, self.plan = tuple(bodies), plan
        self.body, self.crowd, self.looks = self.bodies[0], crowd, range(len(self.bodies))

    def step(self, most: Any, paths: Paths) -> Paths:
        """From a place to the next: own light, light from the sky, a new direction, and what it meets. most: segments of a path."""
        solid = paths.active & paths.on_body & ~paths.floating
        # Every number is drawn whether it is needed or not: the other look of the pair draws the same.
        open_number = paths.numbers.next_1d() if self.plan.straight else mi.Float(0.0)
        sky_numbers, choice, place = paths.numbers.next_2d(), paths.numbers.next_1d(), paths.numbers.next_2d()
        met = [self._met(body, paths.at, paths.who[0] if paths.who else None, solid) for body in self.bodies]
        self._add_own_light(paths, met, solid)
        paths.active &= paths.events + 1 < most
        solid &= paths.active
        straight, unbent = met[0].straight(paths.at, solid, open_number, choice)
        here = _Place(met, _mixture(paths.throughputs), paths.at, solid, paths.floating)
        self._add_light_from_sky(paths, here, straight, sky_numbers)
        direction = self._turn(paths, here, (straight, unbent), (choice, place))
        self._travel(paths, direction)
        return paths

    def _add_own_light(self, paths: Paths, met: Sequence[SurfaceInteraction | SurfaceInteractions], solid: Any) -> None:
        for look, one in enumerate(met):
            passed, own = one.begun(paths.at, solid)
            if passed is not None:
                paths.throughputs[look] *= passed
            if own is not None:
                paths.lights[look] += paths.throughputs[look] * own
        if self.stage.props is not None:
            own = dr.select(paths.active & ~paths.on_body & ~paths.floating, paths.at.uv.y, 0.0)
            for look in self.looks:
                paths.lights[look] += paths.throughputs[look] * own

    def _add_light_from_sky(self, paths: Paths, here: _Place, straight: Any, numbers: Any) -> None:
        """By a direction that is drawn from the sky, weighed by the power heuristic."""
        towards, sent, sky_pdf = self.sky.sample(self.rig, numbers, paths.active)
        values, own_pdf = self._scattered(here, towards)
        weight = _power(sky_pdf, own_pdf)
        of_lamps = self.sky.lamp_share(self.rig, towards, paths.active) if paths.to_lamps else None
        reaching = [paths.throughputs[look] * _by_light(values[look], of_lamps) * sent * weight for look in self.looks]
        looked_for = paths.active & ~straight & (sky_pdf > 0.0) & (_brightest(reaching) > 0.0)
        arrives = self._arrives(paths.at, paths.floating, towards, looked_for)
        for look in self.looks:
            paths.lights[look] += dr.select(looked_for, reaching[look] * arrives, 0.0)

    def _turn(self, paths: Paths, here: _Place, unbent: tuple[Any, Any], numbers: tuple[Any, Any]) -> Any:
        """The direction in which the paths go on: drawn, or straight through. unbent: whether something is passed straight, and what that
        leaves; numbers: that choose a lobe, and a direction of it."""
        straight, leaves = unbent
        drawn = paths.at.to_world(self._drawn(here, *numbers))
        values, drawn_pdf = self._scattered(here, drawn)
        kept = straight | (drawn_pdf > 1e-9)
        for look in self.looks:
            passed = [dr.select(straight, leaves, value / dr.maximum(drawn_pdf, 1e-9)) for value in values[look]]
            if paths.to_lamps:
                paths.to_lamps[look] = dr.select(paths.active, paths.throughputs[look] * passed[1], paths.to_lamps[look])
            paths.throughputs[look] = dr.select(paths.active, paths.throughputs[look] * passed[0], paths.throughputs[look])
        direction = dr.select(straight, here.met[0].onwards(paths.at), drawn)
        paths.pdf, paths.crossed = dr.select(straight, paths.pdf, drawn_pdf), dr.select(straight, paths.crossed + 1, 0)
        paths.events = dr.select(paths.active & ~straight, paths.events + 1, paths.events)
        paths.active &= kept & (_brightest([*paths.throughputs, *paths.to_lamps]) > 0.0) & (paths.crossed < MOST_CROSSED)
        if self.plan.scatters:
            survives = dr.select(paths.events >= ROULETTE_FROM, dr.clip(_brightest(paths.throughputs), 0.05, 1.0), 1.0)
            paths.active &= paths.numbers.next_1d() < survives
            paths.throughputs = [throughput / survives for throughput in paths.throughputs]
            paths.to_lamps = [throughput / survives for throughput in paths.to_lamps]
        return direction

    def _travel(self, paths: Paths, direction: Any) -> None:
        """To what lies in a direction; light from outside is added where nothing does."""
        ray = self._spawned(paths.at, paths.floating, direction)
        paths.at, paths.on_body, on_ground, which = self.stage.meets(ray, paths.active, leaving=not self.plan.lit)
        paths.who = [which] if paths.who else []
        gone = paths.active & ~paths.on_body & ~on_ground
        paths.floating = mi.Bool(False)
        if self.plan.scatters:
            paths.at, paths.floating, weight = self._within(paths.at, paths.on_body, ray, paths.numbers.next_2d())
            paths.throughputs, paths.to_lamps = (
                [dr.select(paths.active, throughput * weight, throughput) for throughput in some]
                for some in (paths.throughputs, paths.to_lamps)
            )
        shared = (paths.pdf > 0.0) & (paths.crossed <= MOST_STRAIGHT)
        weight = dr.select(shared, _power(paths.pdf, self.sky.pdf(self.rig, ray.d, gone & shared)), 1.0)
        found = self.sky.radiance(self.rig, ray.d, gone) * weight
        up = self.ground.radiance(self.rig, paths.at.p) if self.ground is not None else mi.Color3f(0.0)
        of_lamps = self.sky.lamp_share(self.rig, ray.d, gone) if paths.to_lamps else None
        for look in self.looks:
            throughput = paths.throughputs[look]
            reached = throughput if of_lamps is None else dr.lerp(throughput, paths.to_lamps[look], of_lamps)
            paths.lights[look] += dr.select(gone, reached * found, 0.0)
            if self.ground is not None:
                paths.lights[look] += dr.select(paths.active & on_ground, throughput * up, 0.0)
        paths.active &= ~gone if self.ground is None else paths.on_body

    def _met(self, body: Body, at: Any, which: Any, solid: Any) -> SurfaceInteraction | SurfaceInteractions:
        return surface_interaction(body, at, solid) if self.crowd is None else SurfaceInteractions([body, *self.crowd], which, at, solid)

    def _scattered(self, here: _Place, direction: Any) -> tuple[list[list[Any]], Any]:
        """(each look's value, for surroundings and for lamps where those are told apart, the density) of a direction of the scene, wherever
        a path stands."""
        at = here.at
        found = [one.values_and_pdf(at, direction, apart=self.plan.tells_lamps) for one in here.met]
        values, pdf = [value for value, _ in found], found[0][1]
        if len(found) == 2:
            pdf = dr.lerp(found[1][1], found[0][1], here.mixture)
        local = at.to_local(direction)
        if self.plan.lit:
            lambert = dr.select((local.z > 0.0) & (at.wi.z > 0.0), local.z * dr.inv_pi, 0.0)
            tile = lambert * self.stage.reflectance(at)
            values = [[dr.select(here.solid, value, tile) for value in look] for look in values]
            pdf = dr.select(here.solid, pdf, lambert)
        if self.body.medium is not None:
            phase = _phase(self.body.medium, -dr.dot(at.wi, local))
            values = [[dr.select(here.floating, mi.Color3f(phase), value) for value in look] for look in values]
            pdf = dr.select(here.floating, phase, pdf)
        return values, pdf

    def _drawn(self, here: _Place, choice: Any, numbers: Any) -> Any:
        """A direction in the frame of the place."""
        met, mixture = here.met, here.mixture
        if len(met) == 2:
            first = met[0].drawn(dr.minimum(choice / dr.maximum(mixture, 1e-6), 1.0), numbers)
            second = met[1].drawn(dr.maximum(choice - mixture, 0.0) / dr.maximum(1.0 - mixture, 1e-6), numbers)
            local = dr.select(choice < mixture, first, second)
        else:
            local = met[0].drawn(choice, numbers)
        if self.plan.lit:
            local = dr.select(here.solid, local, mi.warp.square_to_cosine_hemisphere(numbers))
        if self.body.medium is not None:
            local = dr.select(here.floating, _phase_sample(self.body.medium, -here.at.wi, numbers), local)
        return local

    def _spawned(self, at: Any, floating: Any, direction: Any) -> Any:
        ray = at.spawn_ray(direction)
        if self.plan.scatters:
            ray.o = dr.select(floating, at.p, ray.o)
        return ray

    def _within(self, at: Any, on_body: Any, ray: Any, numbers: Any) -> tuple[Any, Any, Any]:
        """(the place, whether it floats within the body, what the way there leaves over its density)."""
        medium = self.body.medium
        if medium is None:
            return at, mi.Bool(False), mi.Color3f(1.0)
        inside = on_body & (at.wi.z < 0.0)
        extinction = medium.extinction
        channel = dr.minimum(mi.UInt32(numbers.x * 3.0), 2)
        picked = dr.select(channel == 0, extinction.x, dr.select(channel == 1, extinction.y, extinction.z))
        distance = -dr.log(dr.maximum(1.0 - numbers.y, 1e-9)) / dr.maximum(picked, 1e-9)
        floats = inside & (distance < at.t)
        passes = dr.exp(-extinction * dr.minimum(distance, at.t))
        density = dr.select(floats, dr.mean(extinction * passes), dr.mean(passes))
        weight = dr.select(floats, medium.scattering * passes, passes) / dr.maximum(density, 1e-12)
        at.p = dr.select(floats, ray.o + ray.d * distance, at.p)
        return at, floats, dr.select(inside, weight, 1.0)

    def _arrives(self, at: Any, floating: Any, direction: Any, active: Any) -> Any:
        """How much of the light from the sky reaches a place along a direction."""
        ray = self._spawned(at, floating, direction)
        if not any(body.opens or body.subsurface for body in (self.body, *(self.crowd or ()))):
            return dr.select(self.stage.blocks(ray, active, leaving=not self.plan.lit), 0.0, mi.Color3f(1.0))
        above = ~self.stage.blocks_beside(ray, active)
        state = (ray, mi.Color3f(1.0), mi.UInt32(0), active & above)
        found = dr.while_loop(
            state, lambda *values: values[-1], self._crosses, labels=("ray", "passed", "crossed", "goes on"), label="shadow"
        )
        return dr.select(above, found[1], 0.0)

    def _crosses(self, ray: Any, passed: Any, crossed: Any, active: Any) -> tuple[Any, ...]:
        """The next boundary on the way of light that goes straight."""
        at, which = self.stage.meets_bodies(ray, active)
        met = active & at.is_valid()
        through = self._met(self.body, at, which, met).through(at)
        if self.body.medium is not None:
            inside = (which == 0) & (at.wi.z < 0.0)
            through *= dr.select(inside, dr.exp(-self.body.medium.extinction * at.t), 1.0)
        passed = dr.select(met, passed * through, passed)
        crossed = dr.select(met, crossed + 1, crossed)
        passed = dr.select(crossed > MOST_STRAIGHT, 0.0, passed)
        return at.spawn_ray(ray.d), passed, crossed, met & (dr.max(passed) > 1e-5)


def _by_light(values: list[Any], of_lamps: Any) -> Any:
    """One value for light of which so much comes from lamps."""
    return values[0] if of_lamps is None else dr.lerp(values[0], values[1], of_lamps)


def _mixture(throughputs: list[Any]) -> Any:
    """How often the first of two looks draws the direction: by what each still carries."""
    if len(throughputs) == 1:
        return mi.Float(1.0)
    first, second = (dr.mean(throughput) for throughput in throughputs)
    return dr.select(first + second > 0.0, first / (first + second), 0.5)


def _brightest(colours: list[Any]) -> Any:
    brightest = dr.max(colours[0])
    for one in colours[1:]:
        brightest = dr.maximum(brightest, dr.max(one))
    return brightest


def _power(first: Any, second: Any) -> Any:
    """The power heuristic's weight of the first of two densities."""
    return dr.select(first > 0.0, first * first / (first * first + second * second), 0.0)


def _phase(medium: Medium, cosine: Any) -> Any:
    """Henyey & Greenstein 1941; cosine: between the directions of travel before and after."""
    g = medium.anisotropy
    below = 1.0 + g * g - 2.0 * g * cosine
    return (1.0 - g * g) / (4.0 * PI * below * dr.sqrt(below))


def _phase_sample(medium: Medium, travel: Any, numbers: Any) -> Any:
    """A direction drawn by `_phase` about the direction of travel."""
    g = medium.anisotropy
    ratio = (1.0 - g * g) / (1.0 - g + 2.0 * g * numbers.x)
    even = 1.0 - 2.0 * numbers.x
    cosine = dr.clip(
        dr.select(dr.abs(g) < 1e-3, even, (1.0 + g * g - ratio * ratio) / (2.0 * dr.select(dr.abs(g) < 1e-3, 1.0, g))), -1.0, 1.0
    )
    sine, angle = dr.sqrt(dr.maximum(1.0 - cosine * cosine, 0.0)), 2.0 * PI * numbers.y
    return mi.Frame3f(travel).to_world(mi.Vector3f(sine * dr.cos(angle), sine * dr.sin(angle), cosine))
