"""Paths of light through a scene of one body on a ground.

Two looks of a pair are compared in one of two ways, of which a pilot finds the quieter:

- *Twins*: each look walks its own paths, by the same numbers in the same order, and picks the same aspect by them (see `body.chances`).
What is
  drawn for, and how far paths go, is then the same for both (`Plan`), whatever either alone would need.
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
    active = (begun.on_body | begun.on_ground) if plan.lit else mi.Bool(begun.on_body)
    throughputs, lights = [mi.Color3f(1.0) for _ in bodies], [mi.Color3f(begun.seen) for _ in bodies]
    # What light from lamps would be multiplied with in the end, where that is another number.
    to_lamps = [mi.Color3f(1.0) for _ in bodies] if plan.tells_lamps else []
    crossed, events = mi.UInt32(0), mi.UInt32(0)
    who = [begun.which] if crowd is not None else []
    state = (
        begun.numbers, begun.at, begun.on_body, who, mi.Bool(False), throughputs, to_lamps, lights, mi.Float(0.0), crossed, events, active,
    )  # fmt: skip
    if stage.convex and not plan.lit:
        return list(walk.step(depth, *state)[7])
    found = dr.while_loop(
        state,
        lambda *values: values[-1],
        lambda *values: walk.step(depth, *values),
        labels=("numbers", "at", "on_body", "who", "floating", "throughputs", "to_lamps", "lights", "pdf", "crossed", "events", "active"),
        label="paths",
    )
    lights = found[7]
    return list(lights)


class _Walk:
    """One step of all paths at a time."""

    def __init__(self, stage: Stage, light: Light, rig: Any, bodies: Sequence[Body], plan: Plan, crowd: Sequence[Body] | None) -> None:
        self.stage, self.sky, self.ground, self.rig = stage, light.sky, light.ground, rig
        self.bodies, self.plan = tuple(bodies), plan
        self.body, self.crowd = self.bodies[0], crowd

    def step(
        self,
        most: Any,
        numbers: Numbers,
        at: Any,
        on_body: Any,
        who: list[Any],
        floating: Any,
        throughputs: list[Any],
        to_lamps: list[Any],
        lights: list[Any],
        pdf: Any,
        crossed: Any,
        events: Any,
        active: Any,
    ) -> tuple[Any, ...]:
        """From a place to the next: own light, light from the sky, a new direction, and what it meets."""
        sky, rig, looks = self.sky, self.rig, range(len(self.bodies))
        solid = active & on_body & ~floating
        # Every number is drawn whether it is needed or not: the other look of the pair draws the same.
        open_number = numbers.next_1d() if self.plan.straight else mi.Float(0.0)
        sky_numbers, choice, place = numbers.next_2d(), numbers.next_1d(), numbers.next_2d()

        met = [self._met(body, at, who[0] if who else None, solid) for body in self.bodies]
        for look, one in enumerate(met):
            passed, own = one.begun(at, solid)
            if passed is not None:
                throughputs[look] *= passed
            if own is not None:
                lights[look] += throughputs[look] * own
        if self.stage.props is not None:
            own = dr.select(active & ~on_body & ~floating, at.uv.y, 0.0)
            for look in looks:
                lights[look] += throughputs[look] * own
        active &= events + 1 < most
        solid &= active

        straight, unbent = met[0].straight(at, solid, open_number, choice)
        mixture = _mixture(throughputs)

        towards, sent, sky_pdf = sky.sample(rig, sky_numbers, active)
        values, own_pdf = self._scattered(met, mixture, at, solid, floating, towards)
        weight = _power(sky_pdf, own_pdf)
        of_lamps = sky.lamp_share(rig, towards, active) if to_lamps else None
        reaching = [throughputs[look] * _by_light(values[look], of_lamps) * sent * weight for look in looks]
        looked_for = active & ~straight & (sky_pdf > 0.0) & (_brightest(reaching) > 0.0)
        arrives = self._arrives(at, floating, towards, looked_for)
        for look in looks:
            lights[look] += dr.select(looked_for, reaching[look] * arrives, 0.0)

        drawn = at.to_world(self._drawn(met, mixture, at, solid, floating, choice, place))
        values, drawn_pdf = self._scattered(met, mixture, at, solid, floating, drawn)
        kept = straight | (drawn_pdf > 1e-9)
        for look in looks:
            passed = [dr.select(straight, unbent, value / dr.maximum(drawn_pdf, 1e-9)) for value in values[look]]
            if to_lamps:
                to_lamps[look] = dr.select(active, throughputs[look] * passed[1], to_lamps[look])
            throughputs[look] = dr.select(active, throughputs[look] * passed[0], throughputs[look])
        direction = dr.select(straight, met[0].onwards(at), drawn)
        pdf, crossed = dr.select(straight, pdf, drawn_pdf), dr.select(straight, crossed + 1, 0)
        events = dr.select(active & ~straight, events + 1, events)
        active &= kept & (_brightest([*throughputs, *to_lamps]) > 0.0) & (crossed < MOST_CROSSED)
        if self.plan.scatters:
            survives = dr.select(events >= ROULETTE_FROM, dr.clip(_brightest(throughputs), 0.05, 1.0), 1.0)
            active &= numbers.next_1d() < survives
            throughputs, to_lamps = ([throughput / survives for throughput in some] for some in (throughputs, to_lamps))

        ray = self._spawned(at, floating, direction)
        at, on_body, on_ground, which = self.stage.meets(ray, active, leaving=not self.plan.lit)
        who = [which] if who else []
        gone = active & ~on_body & ~on_ground
        floating = mi.Bool(False)
        if self.plan.scatters:
            at, floating, weight = self._within(at, on_body, ray, numbers.next_2d())
            throughputs, to_lamps = (
                [dr.select(active, throughput * weight, throughput) for throughput in some] for some in (throughputs, to_lamps)
            )
        shared = (pdf > 0.0) & (crossed <= MOST_STRAIGHT)
        found = sky.radiance(rig, ray.d, gone) * dr.select(shared, _power(pdf, sky.pdf(rig, ray.d, gone & shared)), 1.0)
        up = self.ground.radiance(rig, at.p) if self.ground is not None else mi.Color3f(0.0)
        of_lamps = sky.lamp_share(rig, ray.d, gone) if to_lamps else None
        for look in looks:
            reached = throughputs[look] if of_lamps is None else dr.lerp(throughputs[look], to_lamps[look], of_lamps)
            lights[look] += dr.select(gone, reached * found, 0.0)
            if self.ground is not None:
                lights[look] += dr.select(active & on_ground, throughputs[look] * up, 0.0)
        active &= ~gone if self.ground is None else on_body
        return numbers, at, on_body, who, floating, throughputs, to_lamps, lights, pdf, crossed, events, active

    def _met(self, body: Body, at: Any, which: Any, solid: Any) -> SurfaceInteraction | SurfaceInteractions:
        return surface_interaction(body, at, solid) if self.crowd is None else SurfaceInteractions([body, *self.crowd], which, at, solid)

    def _scattered(
        self, met: Sequence[SurfaceInteraction | SurfaceInteractions], mixture: Any, at: Any, solid: Any, floating: Any, direction: Any
    ) -> tuple[list[list[Any]], Any]:
        """(each look's value, for surroundings and for lamps where those are told apart, the density) of a direction of the scene, wherever
        a path stands."""
        found = [one.values_and_pdf(at, direction, apart=self.plan.tells_lamps) for one in met]
        values, pdf = [value for value, _ in found], found[0][1]
        if len(met) == 2:
            pdf = dr.lerp(found[1][1], found[0][1], mixture)
        local = at.to_local(direction)
        if self.plan.lit:
            lambert = dr.select((local.z > 0.0) & (at.wi.z > 0.0), local.z * dr.inv_pi, 0.0)
            tile = lambert * self.stage.reflectance(at)
            values = [[dr.select(solid, value, tile) for value in look] for look in values]
            pdf = dr.select(solid, pdf, lambert)
        if self.body.medium is not None:
            phase = _phase(self.body.medium, -dr.dot(at.wi, local))
            values = [[dr.select(floating, mi.Color3f(phase), value) for value in look] for look in values]
            pdf = dr.select(floating, phase, pdf)
        return values, pdf

    def _drawn(
        self,
        met: Sequence[SurfaceInteraction | SurfaceInteractions],
        mixture: Any,
        at: Any,
        solid: Any,
        floating: Any,
        choice: Any,
        numbers: Any,
    ) -> Any:
        """A direction in the frame of the place."""
        if len(met) == 2:
            first = met[0].drawn(dr.minimum(choice / dr.maximum(mixture, 1e-6), 1.0), numbers)
            second = met[1].drawn(dr.maximum(choice - mixture, 0.0) / dr.maximum(1.0 - mixture, 1e-6), numbers)
            local = dr.select(choice < mixture, first, second)
        else:
            local = met[0].drawn(choice, numbers)
        if self.plan.lit:
            local = dr.select(solid, local, mi.warp.square_to_cosine_hemisphere(numbers))
        if self.body.medium is not None:
            local = dr.select(floating, _phase_sample(self.body.medium, -at.wi, numbers), local)
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
