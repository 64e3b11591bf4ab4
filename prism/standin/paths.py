"""Light carried along camera paths, compiled, and booked as it is found."""

import math
from typing import NamedTuple

from prism.compiled import compiled
from prism.standin.booking import (
    BACKGROUND,
    CAMERA,
    DIFFUSE,
    EMISSION,
    SPECULAR,
    SUBSURFACE,
    TRANSMISSION,
    VOLUME,
    book,
    component_of,
    limited,
)
from prism.standin.gathering import gather, gather_in_fog, hit_weight
from prism.standin.medium import phase, phase_direction, within
from prism.standin.prepared import gather_prepared
from prism.standin.rays import FAR, NUDGE, first_seen, material_at, nearest
from prism.standin.sampling import pair
from prism.standin.shading import (
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
from prism.standin.stage import GLASS, HOLDOUT, LAMP, LIGHT_DISTANT, LIGHT_SKY, MATTE, METAL, PANE, WAX
from prism.standin.survey import pane_reflectance
from prism.standin.vectors import add, along, basis, dot, largest, mul, scale, vec

MOST_EVENTS = 32  # surfaces met along one path, panes and glass walls included
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
    """Book what a ray that leaves the scene sees: sky, and distant lights it happens to point at."""
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
        book(account, settings.groups, component, stage.lights[source].group, value)


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
    """Follow one camera path to its end and book all light it finds, times `share`. hit: what it meets first; behind:
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
def carry(
    stage, settings, prepared, account, data, stack, origin, direction, hit, behind, throughput, lobe, scattered, rough,
    density, share, seed, sample,
):  # fmt: skip
    """Follow a path from some place on, and book all light it finds.

    hit: (distance, normal, shape) that it meets first; behind: next, if that is a pane it goes through. scattered: how
    often it was scattered so far; rough: how often not by mirrors or glass: after the first, glass bends light no more,
    as for shadows. density: of the last scattering, 0 after a mirror or at the camera. share: its throughput at the
    camera.
    """
    near = 0.0
    known = False  # whether what comes from other surfaces was read from prepared light already
    for event in range(MOST_EVENTS):
        if event == 0:
            t, n, shape = hit
        elif event == 1 and lobe == CAMERA and behind[0] > hit[0]:
            t, n, shape = behind
        else:
            t, n, shape = first_seen(stage, origin, direction, near, FAR, lobe == CAMERA, stack)
        begin, end = within(stage.medium, origin, direction, near, t)
        if begin < end:
            u, v = pair(seed, sample, 13 + event * 4)
            free = begin - math.log(1.0 - u) / stage.medium.density
            if free < end:
                if known or (lobe == CAMERA and stage.medium.seen == 0):
                    return
                if lobe == CAMERA:
                    lobe = VOLUME
                point = along(origin, direction, free)
                throughput = mul(throughput, vec(stage.medium.colour))
                back = scale(direction, -1.0)
                component = component_of(lobe, scattered + 1)
                gather_in_fog(
                    stage, settings, account, stack, point, back, throughput, component, scattered, rough, seed, sample
                )
                u, v = pair(seed, sample, 11 + event * 4)
                direction = phase_direction(stage.medium, direction, u, v)
                density = phase(stage.medium, -dot(direction, back))
                rough += 1
                origin = point
                near = 0.0
                scattered += 1
                if scattered > settings.most_bounces:
                    return
                continue
        if shape < 0:
            meet_sky(stage, settings, account, direction, throughput, lobe, scattered, rough, density, origin)
            return
        held = lobe == CAMERA and stage.shapes[shape].look == HOLDOUT
        point = along(origin, direction, t)
        view = scale(direction, -1.0)
        if stage.shapes[shape].material == LAMP:
            source = stage.shapes[shape].light
            if source < 0 or held:
                return
            component = EMISSION if lobe == CAMERA else component_of(lobe, scattered)
            value = mul(throughput, sphere_radiance(stage, source, n, view))
            value = scale(value, hit_weight(stage, settings, source, origin, density, rough))
            value = limited(value, scattered - 1, settings.indirect_limit)
            book(account, settings.groups, component, stage.lights[source].group, value)
            return
        material = material_at(stage, shape, point)
        kind = stage.materials[material].kind
        if held and kind != PANE:
            return
        cosine = dot(n, view)
        outside = cosine > 0.0
        if not outside:
            n = scale(n, -1.0)
            cosine = -cosine
        choice, _ = pair(seed, sample, 10 + event * 4)

        if kind == PANE or (kind == GLASS and rough > 0):
            if rough > 0 or choice >= pane_reflectance(cosine, stage.materials[material].ior):
                throughput = mul(throughput, vec(stage.materials[material].colour))
                near = t + NUDGE
                continue
            if held:
                # What a pane mirrors belongs to the layer that shows it; what lies behind is seen here all the same.
                return
            if lobe == CAMERA:
                lobe = SPECULAR
            direction = add(direction, scale(n, 2.0 * cosine))
            density = 0.0
        elif kind == GLASS:
            ior = stage.materials[material].ior
            ratio = 1.0 / ior if outside else ior
            if choice < dielectric(cosine, ratio):
                if lobe == CAMERA:
                    lobe = SPECULAR
                direction = add(direction, scale(n, 2.0 * cosine))
            else:
                if lobe == CAMERA:
                    lobe = TRANSMISSION
                throughput = mul(throughput, vec(stage.materials[material].colour))
                direction = refract(direction, n, cosine, ratio)
            density = 0.0
        else:
            if known:
                return
            surface = surface_of(stage, material, shape, point, n, view, rough)
            diffuse, specular, alpha, specular_chance = surface
            waxen = kind == WAX
            start = along(point, n, NUDGE)
            rows = (DIFFUSE, SPECULAR)
            if scattered > 0:
                rows = (component_of(lobe, scattered + 1), component_of(lobe, scattered + 1))
            at_surface = ((0.0, 0.0, 0.0), specular, alpha, specular_chance) if waxen else surface
            gather(
                stage, settings, account, data, stack, start, n, view, at_surface, throughput, rows, scattered, rough,
                seed, sample,
            )  # fmt: skip
            ready = False
            if prepared.on == 1 and lobe == CAMERA and not waxen and largest(diffuse) > 0.0:
                blend, _ = pair(seed, sample, 9)
                light = mul(throughput, diffuse)
                ready = gather_prepared(settings, prepared, account, start, n, light, blend)
            u, v = pair(seed, sample, 11 + event * 4)
            if choice < specular_chance:
                outgoing = ggx_direction(n, view, alpha, u, v)
                factor, facet_density = ggx(n, view, outgoing, alpha)
                if factor <= 0.0:
                    return
                density = facet_density * specular_chance
                throughput = scale(mul(throughput, fresnel(specular, view, outgoing)), factor / density)
                if lobe == CAMERA:
                    lobe = SPECULAR
            else:
                throughput = scale(mul(throughput, diffuse), 1.0 / (1.0 - specular_chance))
                density = 1.0 - specular_chance
                if waxen:
                    if lobe == CAMERA:
                        lobe = SUBSURFACE
                    point, n = below_surface(
                        stage, shape, point, n, stage.materials[material].depth, seed, sample, stack
                    )
                    start = along(point, n, NUDGE)
                    rows = (component_of(lobe, scattered + 1), component_of(lobe, scattered + 1))
                    inside = ((1.0, 1.0, 1.0), (0.0, 0.0, 0.0), 1.0, 0.0)
                    gather(
                        stage, settings, account, data, stack, start, n, n, inside, throughput, rows, scattered, rough,
                        seed, sample,
                    )  # fmt: skip
                    density = 1.0
                known = ready
                if lobe == CAMERA:
                    lobe = DIFFUSE
                outgoing = cosine_direction(n, u, v)
                density *= max(1e-9, dot(n, outgoing)) / math.pi
            direction = outgoing
            rough += 1
            point = start

        scattered += 1
        origin = point
        near = NUDGE
        if scattered > settings.most_bounces:
            return
        if scattered > settings.sure_bounces:
            alive = min(0.95, largest(throughput) / share)
            survive, _ = pair(seed, sample, 12 + event * 4)
            if survive >= alive:
                return
            throughput = scale(throughput, 1.0 / alive)
