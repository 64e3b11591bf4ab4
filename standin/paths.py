"""Light carried along camera paths, compiled, and added to its passes as it is found."""

import math
from typing import NamedTuple

from prism.compiled import compiled
from standin.accumulation import (
    BACKGROUND,
    CAMERA,
    DIFFUSE,
    EMISSION,
    SPECULAR,
    SUBSURFACE,
    TRANSMISSION,
    VOLUME,
    add_light,
    component_of,
    limited,
)
from standin.gathering import gather, gather_in_fog, hit_weight
from standin.medium import free_way, phase, phase_direction
from standin.prepared import gather_prepared
from standin.rays import FAR, NUDGE, first_seen, material_at, nearest
from standin.sampling import pair
from standin.shading import (
    COAT_REFLECTANCE,
    cosine_direction,
    dielectric,
    fresnel,
    ggx,
    ggx_direction,
    schlick,
    sky_radiance,
    sphere_radiance,
    surface_colour,
)
from standin.stage import GLASS, HOLDOUT, LAMP, LIGHT_DISTANT, LIGHT_SKY, MATTE, METAL, PANE, WAX
from standin.survey import pane_reflectance
from standin.vectors import add, along, basis, dot, largest, mul, scale, vec

MOST_EVENTS = 32  # surfaces met along one path, panes and glass walls included
GOES_ON, AT_SKY, AT_LAMP, AT_NOTHING = range(4)  # where a path ends, if it does
DULL = 0.3  # least GGX alpha of what is seen in rough surfaces


class Settings(NamedTuple):
    """What the compiled loops need besides the stage."""

    samples: int  # per pixel, at most
    groups: int  # light groups
    light_samples: int  # shadow rays to each group at every surface
    material_samples: int  # paths followed from what a camera ray meets first
    noise_threshold: float  # 0: all samples in every pixel
    most_bounces: int
    sure_bounces: int  # before paths may end by chance
    indirect_limit: float  # largest radiance one indirect contribution may carry; infinite for no limit
    mist_near: float
    mist_far: float
    mist_power: float
    sky_seen: int  # 0: sky and far lights are not seen by the camera itself
    surveyed: int  # 0: nothing but light is wanted
    identified: int  # 0: no identities are wanted
    placed: int  # 0: neither positions, sheets nor motion are wanted
    occlusion_distance: float  # 0: not wanted
    wire_divisions: int  # 0: not wanted
    wire_width: float  # pixels
    wire_hidden: int  # 1: lines behind surfaces too
    deep_samples: int  # kept in a pixel; 0: not wanted
    deep_distance: float  # below which two of them merge
    seed: int


@compiled
def meet_sky(stage, settings, account, direction, throughput, lobe, scattered, rough, density, last_point):
    """Add what a ray that leaves the scene sees: sky, and distant lights it happens to point at."""
    if lobe == CAMERA and settings.sky_seen == 0:
        return
    component = BACKGROUND if lobe == CAMERA else component_of(lobe, scattered)
    for source in range(stage.lights.size):
        kind = stage.lights[source].kind
        if kind == LIGHT_SKY:
            value = mul(throughput, sky_radiance(stage, source, direction))
        elif (
            kind == LIGHT_DISTANT and dot(direction, vec(stage.lights[source].direction)) > stage.lights[source].cosine
        ):
            value = scale(
                mul(throughput, vec(stage.lights[source].radiance)),
                hit_weight(stage, settings, source, last_point, density, rough),
            )
        else:
            continue
        value = limited(value, scattered - 1, settings.indirect_limit)
        add_light(account, settings.groups, component, stage.lights[source].group, value)


@compiled
def surface_of(stage, material, shape, point, n, view, rough):
    """(diffuse reflectance, specular at the normal, GGX alpha, chance of sampling specular) of an opaque surface.

    rough: how often light was scattered roughly between here and the camera. What is seen only so is given a duller
    shine, which hardly changes the picture but keeps mirrored lamps from making stray bright dots.
    Source: Kaplanyan & Dachsbacher, "Path Space Regularization for Holistic and Robust Light Transport", 2013.
    """
    colour = surface_colour(stage, material, shape, point)
    kind = stage.materials[material].kind
    alpha = stage.materials[material].roughness ** 2
    if rough > 0:
        alpha = max(alpha, DULL)
    none = (0.0, 0.0, 0.0)
    if kind == METAL:
        return none, colour, alpha, 1.0
    if kind == MATTE:
        return colour, none, 1.0, 0.0
    coat = schlick(COAT_REFLECTANCE, max(0.0, dot(n, view)))
    base = scale(colour, 1.0 - coat)
    chance = min(0.85, max(0.2, coat / (coat + largest(base) + 1e-9)))
    return base, (COAT_REFLECTANCE, COAT_REFLECTANCE, COAT_REFLECTANCE), alpha, chance


@compiled
def refract(direction, n, cosine, ratio):
    """Where a unit direction goes on; cosine: at the surface; ratio: index here / index beyond (Snell's law)."""
    beyond = math.sqrt(max(0.0, 1.0 - ratio * ratio * (1.0 - cosine * cosine)))
    return add(scale(direction, ratio), scale(n, ratio * cosine - beyond))


@compiled
def below_surface(stage, shape, point, n, depth, seed, sample, stack):
    """Where light that went in at `point` comes out again: (point, normal), a little way off on the same object.

    The distance falls off exponentially with `depth` as its mean; where the surface bends away too far, light comes out
    where it went in. Source: Christensen & Burley, "Approximate Reflectance Profiles", 2015, simplified to one term.
    """
    u, v = pair(seed, sample, 7)
    reach = -depth * math.log(1.0 - u)
    angle = 2.0 * math.pi * v
    x, y = basis(n)
    aside = add(scale(x, reach * math.cos(angle)), scale(y, reach * math.sin(angle)))
    above = add(add(point, aside), scale(n, reach))
    t, normal, found = nearest(stage, above, scale(n, -1.0), 0.0, 2.0 * reach, stack)
    if found != shape:
        return point, n
    return along(above, scale(n, -1.0), t), normal


@compiled
def follow(stage, settings, prepared, account, data, stack, origin, direction, hit, behind, share, seed, sample):
    """Follow one camera path to its end and add all light it finds, times `share`. hit: what it meets first; behind:
    what it meets after that, if it is a pane, or hit again if that is not known."""
    throughput = (share, share, share)
    carry(
        stage,
        settings,
        prepared,
        account,
        data,
        stack,
        origin,
        direction,
        hit,
        behind,
        throughput,
        CAMERA,
        0,
        0,
        0.0,
        share,
        seed,
        sample,
    )


@compiled
def meet_lamp(
    stage, settings, account, shape, n, origin, direction, throughput, lobe, scattered, rough, density,
):  # fmt: skip
    """Add the light of a lamp at which a path ends; as of `carry`."""
    source = stage.shapes[shape].light
    if source < 0:
        return
    component = EMISSION if lobe == CAMERA else component_of(lobe, scattered)
    value = mul(throughput, sphere_radiance(stage, source, n, scale(direction, -1.0)))
    value = scale(value, hit_weight(stage, settings, source, origin, density, rough))
    value = limited(value, scattered - 1, settings.indirect_limit)
    add_light(account, settings.groups, component, stage.lights[source].group, value)


@compiled
def scatter_in_fog(
    stage, settings, account, stack, point, direction, throughput, component, scattered, rough, seed, sample, event,
):  # fmt: skip
    """Add the light that fog receives at a point and sends back. Returns where the path goes on to, and the density of
    that."""
    back = scale(direction, -1.0)
    gather_in_fog(stage, settings, account, stack, point, back, throughput, component, scattered, rough, seed, sample)
    u, v = pair(seed, sample, 11 + event * 4)
    onward = phase_direction(stage.medium, direction, u, v)
    return onward, phase(stage.medium, -dot(onward, back))


@compiled
def meet_glass(stage, material, direction, n, cosine, outside, throughput, lobe, choice):
    """Mirrored by glass, or bent into it or out of it. Returns direction, throughput and lobe from there on."""
    ior = stage.materials[material].ior
    ratio = 1.0 / ior if outside else ior
    if choice < dielectric(cosine, ratio):
        return add(direction, scale(n, 2.0 * cosine)), throughput, SPECULAR if lobe == CAMERA else lobe
    through = mul(throughput, vec(stage.materials[material].colour))
    return refract(direction, n, cosine, ratio), through, TRANSMISSION if lobe == CAMERA else lobe


@compiled
def meet_surface(
    stage, settings, prepared, account, data, stack, shape, material, point, n, direction, throughput, lobe, scattered,
    rough, seed, sample, event, choice,
):  # fmt: skip
    """Add the light that a surface receives, and choose where the path goes on; n looks to the side that is met.

    Returns whether it goes on, from where, its direction, throughput and lobe, the density of that direction, and
    whether what other surfaces send there was read from prepared light already.
    """
    view = scale(direction, -1.0)
    surface = surface_of(stage, material, shape, point, n, view, rough)
    diffuse, specular, alpha, specular_chance = surface
    waxen = stage.materials[material].kind == WAX
    start = along(point, n, NUDGE)
    deeper = component_of(lobe, scattered + 1)
    rows = (deeper, deeper) if scattered > 0 else (DIFFUSE, SPECULAR)
    at_surface = ((0.0, 0.0, 0.0), specular, alpha, specular_chance) if waxen else surface
    gather(
        stage, settings, account, data, stack, start, n, view, at_surface, throughput, rows, scattered, rough, seed,
        sample,
    )  # fmt: skip
    ready = False
    if prepared.on == 1 and lobe == CAMERA and not waxen and largest(diffuse) > 0.0:
        blend, _ = pair(seed, sample, 9)
        ready = gather_prepared(settings, prepared, account, start, n, mul(throughput, diffuse), blend)
    u, v = pair(seed, sample, 11 + event * 4)
    if choice < specular_chance:
        outgoing = ggx_direction(n, view, alpha, u, v)
        factor, facet_density = ggx(n, view, outgoing, alpha)
        if factor <= 0.0:
            return False, start, outgoing, throughput, lobe, 0.0, False
        density = facet_density * specular_chance
        onward = scale(mul(throughput, fresnel(specular, view, outgoing)), factor / density)
        return True, start, outgoing, onward, SPECULAR if lobe == CAMERA else lobe, density, False
    throughput = scale(mul(throughput, diffuse), 1.0 / (1.0 - specular_chance))
    density = 1.0 - specular_chance
    if waxen:
        if lobe == CAMERA:
            lobe = SUBSURFACE
        depth = stage.materials[material].depth
        point, n = below_surface(stage, shape, point, n, depth, seed, sample, stack)
        start = along(point, n, NUDGE)
        deeper = component_of(lobe, scattered + 1)
        inside = ((1.0, 1.0, 1.0), (0.0, 0.0, 0.0), 1.0, 0.0)
        gather(
            stage, settings, account, data, stack, start, n, n, inside, throughput, (deeper, deeper), scattered, rough,
            seed, sample,
        )  # fmt: skip
        density = 1.0
    if lobe == CAMERA:
        lobe = DIFFUSE
    outgoing = cosine_direction(n, u, v)
    return True, start, outgoing, throughput, lobe, density * max(1e-9, dot(n, outgoing)) / math.pi, ready


@compiled
def carry(
    stage, settings, prepared, account, data, stack, origin, direction, hit, behind, throughput, lobe, scattered, rough,
    density, share, seed, sample,
):  # fmt: skip
    """Follow a path from some place on, and add all light it finds.

    hit: (distance, normal, shape) that it meets first; behind: next, if that is a pane it goes through. scattered: how
    often it was scattered so far; rough: how often not by mirrors or glass: after the first, glass bends light no more,
    as for shadows. density: of the last scattering, 0 after a mirror or at the camera. share: its throughput at the
    camera.
    """
    near = 0.0
    known = False  # whether what comes from other surfaces was read from prepared light already
    for event in range(MOST_EVENTS):
        t, n, shape = hit
        if event == 1 and lobe == CAMERA and behind[0] > hit[0]:
            t, n, shape = behind
        elif event > 0:
            t, n, shape = first_seen(stage, origin, direction, near, FAR, lobe == CAMERA, stack)
        free = t
        if stage.medium.density > 0.0:
            chance, _ = pair(seed, sample, 13 + event * 4)
            free = free_way(stage.medium, origin, direction, near, t, chance)
        if free < t:
            if known or (lobe == CAMERA and stage.medium.seen == 0):
                return
            lobe = VOLUME if lobe == CAMERA else lobe
            origin, near = along(origin, direction, free), 0.0
            throughput = mul(throughput, vec(stage.medium.colour))
            direction, density = scatter_in_fog(
                stage, settings, account, stack, origin, direction, throughput, component_of(lobe, scattered + 1),
                scattered, rough, seed, sample, event,
            )  # fmt: skip
            rough += 1
            scattered += 1
            if scattered > settings.most_bounces:
                return
            continue
        point = along(origin, direction, t)
        held_out = shape >= 0 and lobe == CAMERA and stage.shapes[shape].look == HOLDOUT
        end, material = what_ends(stage, shape, point, held_out)
        if end == AT_SKY:
            meet_sky(stage, settings, account, direction, throughput, lobe, scattered, rough, density, origin)
        elif end == AT_LAMP:
            meet_lamp(
                stage, settings, account, shape, n, origin, direction, throughput, lobe, scattered, rough, density
            )
        if end != GOES_ON:
            return
        cosine = -dot(n, direction)
        outside = cosine > 0.0
        if not outside:
            n, cosine = scale(n, -1.0), -cosine
        choice, _ = pair(seed, sample, 10 + event * 4)
        kind = stage.materials[material].kind
        if kind == PANE or (kind == GLASS and rough > 0):
            if rough > 0 or choice >= pane_reflectance(cosine, stage.materials[material].ior):
                throughput = mul(throughput, vec(stage.materials[material].colour))
                near = t + NUDGE
                continue
            if held_out:
                # What a pane mirrors belongs to the layer that shows it; what lies behind is seen here all the same.
                return
            lobe = SPECULAR if lobe == CAMERA else lobe
            direction, density = add(direction, scale(n, 2.0 * cosine)), 0.0
        elif kind == GLASS:
            direction, throughput, lobe = meet_glass(
                stage, material, direction, n, cosine, outside, throughput, lobe, choice
            )
            density = 0.0
        else:
            if known:
                return
            goes_on, point, direction, throughput, lobe, density, known = meet_surface(
                stage, settings, prepared, account, data, stack, shape, material, point, n, direction, throughput, lobe,
                scattered, rough, seed, sample, event, choice,
            )  # fmt: skip
            if not goes_on:
                return
            rough += 1
        scattered += 1
        origin, near = point, NUDGE
        alive = chance_to_go_on(settings, throughput, share, scattered)
        if alive < 1.0:
            survive, _ = pair(seed, sample, 12 + event * 4)
            if survive >= alive:
                return
            throughput = scale(throughput, 1.0 / alive)


@compiled
def what_ends(stage, shape, point, held_out):
    """Whether a path ends where it met a shape, and at what; and the material, where it does not."""
    if shape < 0:
        return AT_SKY, -1
    if stage.shapes[shape].material == LAMP:
        return (AT_NOTHING if held_out else AT_LAMP), -1
    material = material_at(stage, shape, point)
    if held_out and stage.materials[material].kind != PANE:
        return AT_NOTHING, -1
    return GOES_ON, material


@compiled
def chance_to_go_on(settings, throughput, share, scattered):
    """0 after the last bounce there may be, 1 while a path goes on for sure; else by what is left of its light."""
    if scattered > settings.most_bounces:
        return 0.0
    return min(0.95, largest(throughput) / share) if scattered > settings.sure_bounces else 1.0
