"""Light carried along camera paths, compiled, and booked at once by component and by light group.

Every bit of light that reaches the camera is booked three times with the same number: to the beauty, to the one
component it came by and to the one light group it came from. So the components sum to the beauty, and the light
groups sum to the beauty, exactly up to float rounding, whatever the number of samples.

A component is named by what light did at the first surface the camera sees: it left a light there (emission), was
scattered there (diffuse or specular; direct if it came straight from a light, indirect if from another surface), or
went through (transmission). Light that met no surface is background.
"""

import math
from typing import NamedTuple

import numpy as np

from prism.compiled import compiled
from prism.standin.rays import FAR, NUDGE, light_through, material_at, nearest
from prism.standin.sampling import pair
from prism.standin.shading import (
    COAT_REFLECTANCE,
    aim,
    aim_cosine,
    aim_density,
    cosine_direction,
    dielectric,
    ggx,
    ggx_direction,
    schlick,
    sky_radiance,
    sphere_radiance,
    surface_colour,
)
from prism.standin.stage import GLASS, GLOSS, LIGHT_DISTANT, LIGHT_SKY, MATTE, METAL, PANE
from prism.standin.vectors import add, along, dot, largest, mul, row, scale, vec

COMPONENTS = (
    "diffuse_direct",
    "diffuse_indirect",
    "specular_direct",
    "specular_indirect",
    "transmission",
    "emission",
    "background",
)
DIFFUSE, DIFFUSE_INDIRECT, SPECULAR, SPECULAR_INDIRECT, TRANSMISSION, EMISSION, BACKGROUND = range(len(COMPONENTS))
CAMERA = -1  # the lobe of a path that has not met a surface yet
BEAUTY = len(COMPONENTS)  # row of the light ledger; light groups follow it
FIRST_GROUP = BEAUTY + 1

ALPHA, DEPTH, MIST, NORMAL, OCCLUSION, COLOUR = 0, 1, 2, 3, 6, 7
DATA_COUNT = 10
MOST_EVENTS = 32  # surfaces met along one path, panes and glass walls included
SURE_BOUNCES = 3  # before paths may end by chance


class Settings(NamedTuple):
    """What the compiled loops need besides the stage."""

    samples: int  # per pixel
    most_bounces: int
    indirect_limit: float  # largest radiance one indirect contribution may carry; keeps stray bright dots out
    mist_start: float
    mist_depth: float
    mist_falloff: int  # 0 linear, 1 quadratic, 2 inverse quadratic
    occlusion_distance: float
    seed: int


@compiled
def book(light, component, group, value):
    """Add one contribution to beauty, component and light group alike."""
    for c in range(3):
        light[BEAUTY, c] += value[c]
        light[component, c] += value[c]
        light[FIRST_GROUP + group, c] += value[c]


@compiled
def limited(value, scattered, limit):
    peak = largest(value)
    if scattered > 0 and peak > limit:
        return scale(value, limit / peak)
    return value


@compiled
def component_of(lobe, scattered):
    """Where light from an emitter hit after `scattered` bounces belongs."""
    if lobe == TRANSMISSION:
        return TRANSMISSION
    return lobe if scattered == 1 else lobe + 1


@compiled
def aim_weight(stage, light, point):
    """How much of its group's attention a light deserves at a point: brightness times visible solid angle."""
    cosine = aim_cosine(stage, light, point)
    return (1.0 - cosine) * largest(vec(stage.lights[light].radiance)) if cosine <= 1.0 else 0.0


@compiled
def group_weight(stage, group, point):
    total = 0.0
    for light in range(stage.lights.size):
        if stage.lights[light].group == group:
            total += aim_weight(stage, light, point)
    return total


@compiled
def aimed_density(stage, light, point):
    """Density over solid angle with which `aim_at_group` picks this light's directions."""
    own = aim_weight(stage, light, point)
    if own == 0.0:
        return 0.0
    return aim_density(aim_cosine(stage, light, point)) * own / group_weight(stage, stage.lights[light].group, point)


@compiled
def pick_light(stage, group, point, choice):
    """One light of the group, by weight. -1 if none can be aimed at."""
    target = choice * group_weight(stage, group, point)
    picked = -1
    for light in range(stage.lights.size):
        if stage.lights[light].group == group:
            weight = aim_weight(stage, light, point)
            if weight > 0.0:
                picked = light
                target -= weight
                if target <= 0.0:
                    break
    return picked


@compiled
def gather(stage, settings, light, stack, point, n, view, surface, throughput, lobe, scattered, seed, sample):
    """Book the light that reaches a surface straight from one light of each group.

    surface: (diffuse reflectance, specular reflectance at the normal, roughness squared, chance of sampling specular).
    """
    diffuse, specular, alpha, specular_chance = surface
    for group in range(light.shape[0] - FIRST_GROUP):
        choice, _ = pair(seed, sample, 1000 + scattered * 64 + group * 2)
        source = pick_light(stage, group, point, choice)
        if source < 0:
            continue
        u, v = pair(seed, sample, 1001 + scattered * 64 + group * 2)
        cosine = aim_cosine(stage, source, point)
        direction, distance, radiance = aim(stage, source, point, cosine, u, v)
        cos_l = dot(n, direction)
        if cos_l <= 0.0:
            continue
        through = light_through(stage, point, direction, distance, stack)
        if largest(through) <= 0.0:
            continue
        density = aimed_density(stage, source, point)
        arriving = scale(mul(mul(throughput, through), radiance), 1.0 / density)
        if largest(diffuse) > 0.0:
            other = (1.0 - specular_chance) * cos_l / math.pi
            value = scale(mul(arriving, diffuse), cos_l / math.pi * density / (density + other))
            where = DIFFUSE if scattered == 0 else (TRANSMISSION if lobe == TRANSMISSION else lobe + 1)
            book(light, where, group, limited(value, scattered, settings.indirect_limit))
        if specular_chance > 0.0:
            factor, facet_density = ggx(n, view, direction, alpha)
            other = specular_chance * facet_density
            value = scale(mul(arriving, fresnel(specular, view, direction)), factor * density / (density + other))
            where = SPECULAR if scattered == 0 else (TRANSMISSION if lobe == TRANSMISSION else lobe + 1)
            book(light, where, group, limited(value, scattered, settings.indirect_limit))


@compiled
def fresnel(at_normal, view, direction):
    half = add(view, direction)
    cosine = min(1.0, max(0.0, dot(view, half) / math.sqrt(dot(half, half))))
    return (schlick(at_normal[0], cosine), schlick(at_normal[1], cosine), schlick(at_normal[2], cosine))


@compiled
def meet_sky(stage, settings, light, direction, throughput, lobe, scattered, density, last_point):
    """Book what a ray that leaves the scene sees: sky, and distant lights it happens to point at."""
    component = BACKGROUND if lobe == CAMERA else component_of(lobe, scattered)
    for source in range(stage.lights.size):
        kind = stage.lights[source].kind
        if kind == LIGHT_SKY:
            value = mul(throughput, sky_radiance(stage, source, direction))
        elif (
            kind == LIGHT_DISTANT and dot(direction, vec(stage.lights[source].direction)) > stage.lights[source].cosine
        ):
            value = scale(
                mul(throughput, vec(stage.lights[source].radiance)), hit_weight(stage, source, last_point, density)
            )
        else:
            continue
        book(light, component, stage.lights[source].group, limited(value, scattered - 1, settings.indirect_limit))


@compiled
def hit_weight(stage, source, last_point, density):
    """Balance heuristic for a light found by chance that could also have been aimed at (Veach, 1997)."""
    if density == 0.0:  # camera or mirror ray: aiming could not have found it
        return 1.0
    return density / (density + aimed_density(stage, source, last_point))


@compiled
def surface_of(stage, material, shape, point, n, view):
    """(diffuse reflectance, specular at the normal, GGX alpha, chance of sampling specular) of an opaque surface."""
    colour = surface_colour(stage, material, shape, point)
    kind = stage.materials[material].kind
    roughness = stage.materials[material].roughness
    none = (0.0, 0.0, 0.0)
    if kind == METAL:
        return none, colour, roughness * roughness, 1.0
    if kind == MATTE:
        return colour, none, 1.0, 0.0
    coat = schlick(COAT_REFLECTANCE, max(0.0, dot(n, view)))
    base = scale(colour, 1.0 - coat)
    chance = min(0.85, max(0.2, coat / (coat + largest(base) + 1e-9)))
    return base, (COAT_REFLECTANCE, COAT_REFLECTANCE, COAT_REFLECTANCE), roughness * roughness, chance


@compiled
def refract(direction, n, cosine, ratio):
    beyond = math.sqrt(max(0.0, 1.0 - ratio * ratio * (1.0 - cosine * cosine)))
    return add(scale(direction, ratio), scale(n, ratio * cosine - beyond))


@compiled
def pane_reflectance(cosine, ior):
    """Both faces of a thin pane, with the light going back and forth between them."""
    single = dielectric(cosine, 1.0 / ior)
    return 2.0 * single / (1.0 + single)


@compiled
def follow(stage, settings, light, stack, origin, direction, seed, sample):
    """Follow one camera path to its end and book all light it finds."""
    throughput = (1.0, 1.0, 1.0)
    lobe = CAMERA
    scattered = 0
    density = 0.0  # of the last scattering; 0 after a mirror or at the camera
    straight = False  # once light was scattered roughly, glass no longer bends it, as for shadows
    near = 0.0
    for event in range(MOST_EVENTS):
        t, n, shape = nearest(stage, origin, direction, near, FAR, stack)
        if shape < 0:
            meet_sky(stage, settings, light, direction, throughput, lobe, scattered, density, origin)
            return
        point = along(origin, direction, t)
        source = stage.shapes[shape].light
        view = scale(direction, -1.0)
        if source >= 0:
            component = EMISSION if lobe == CAMERA else component_of(lobe, scattered)
            value = mul(throughput, sphere_radiance(stage, source, n, view))
            value = scale(value, hit_weight(stage, source, origin, density))
            book(light, component, stage.lights[source].group, limited(value, scattered - 1, settings.indirect_limit))
            return
        material = material_at(stage, shape, point)
        kind = stage.materials[material].kind
        cosine = dot(n, view)
        outside = cosine > 0.0
        if not outside:
            n = scale(n, -1.0)
            cosine = -cosine
        choice, _ = pair(seed, sample, 10 + event * 4)

        if kind == PANE or (kind == GLASS and straight):
            if straight or choice >= pane_reflectance(cosine, stage.materials[material].ior):
                throughput = mul(throughput, vec(stage.materials[material].colour))
                near = t + NUDGE
                continue
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
            surface = surface_of(stage, material, shape, point, n, view)
            diffuse, specular, alpha, specular_chance = surface
            start = along(point, n, NUDGE)
            gather(stage, settings, light, stack, start, n, view, surface, throughput, lobe, scattered, seed, sample)
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
                outgoing = cosine_direction(n, u, v)
                density = max(1e-9, dot(n, outgoing)) / math.pi * (1.0 - specular_chance)
                throughput = scale(mul(throughput, diffuse), 1.0 / (1.0 - specular_chance))
                if lobe == CAMERA:
                    lobe = DIFFUSE
            direction = outgoing
            straight = True
            point = start

        scattered += 1
        origin = point
        near = NUDGE
        if scattered > settings.most_bounces:
            return
        if scattered > SURE_BOUNCES:
            alive = min(0.95, largest(throughput))
            survive, _ = pair(seed, sample, 12 + event * 4)
            if survive >= alive:
                return
            throughput = scale(throughput, 1.0 / alive)


@compiled
def mist_amount(settings, depth):
    """0 at the start, 1 at start + depth and beyond. Inverse quadratic is the square root (common practice)."""
    t = min(1.0, max(0.0, (depth - settings.mist_start) / settings.mist_depth))
    if settings.mist_falloff == 1:
        return t * t
    return math.sqrt(t) if settings.mist_falloff == 2 else t


@compiled
def survey(stage, settings, data, stack, origin, direction, forward, seed, sample):
    """Measure what one camera ray sees first, looking through panes: coverage, depth, mist, normal, occlusion, colour."""
    near = 0.0
    open_share = 1.0
    for _ in range(MOST_EVENTS):
        t, n, shape = nearest(stage, origin, direction, near, FAR, stack)
        if shape < 0:
            data[ALPHA] += 1.0 - open_share
            data[MIST] += 1.0
            data[OCCLUSION] += 1.0
            return
        point = along(origin, direction, t)
        lit = stage.shapes[shape].light >= 0
        material = 0 if lit else material_at(stage, shape, point)
        facing = dot(n, direction)
        if facing > 0.0:
            n = scale(n, -1.0)
        if not lit and stage.materials[material].kind == PANE:
            open_share *= 1.0 - pane_reflectance(abs(facing), stage.materials[material].ior)
            near = t + NUDGE
            continue
        depth = t * dot(direction, forward)
        data[ALPHA] += 1.0
        data[DEPTH] = min(data[DEPTH], depth)
        data[MIST] += mist_amount(settings, depth)
        for c in range(3):
            data[NORMAL + c] += n[c]
        if not lit and (stage.materials[material].kind == MATTE or stage.materials[material].kind == GLOSS):
            diffuse, _, _, _ = surface_of(stage, material, shape, point, n, scale(direction, -1.0))
            for c in range(3):
                data[COLOUR + c] += diffuse[c]
        u, v = pair(seed, sample, 5)
        start = along(point, n, NUDGE)
        _, _, blocker = nearest(stage, start, cosine_direction(n, u, v), NUDGE, settings.occlusion_distance, stack)
        data[OCCLUSION] += 1.0 if lit or blocker < 0 else 0.0
        return


@compiled
def trace_band(stage, settings, camera, first, end, light_out, data_out, stack):
    """Render rows first..end-1.

    camera: (5, 3) table of position, forward, right times half width, down times half height, (width, height, -).
    light_out: (H, W, rows, 3) float64, rows as in the light ledger.  data_out: (H, W, DATA_COUNT) float64.
    """
    position = row(camera, 0)
    forward = row(camera, 1)
    width = camera[4, 0]
    height = camera[4, 1]
    for y in range(first, end):
        for x in range(light_out.shape[1]):
            light = light_out[y - first, x]
            data = data_out[y - first, x]
            data[DEPTH] = FAR
            seed = np.uint64(settings.seed) * np.uint64(0x1000003) + np.uint64(y) * np.uint64(65537) + np.uint64(x)
            for sample in range(settings.samples):
                u, v = pair(seed, sample, 1)
                right = scale(row(camera, 2), 2.0 * (x + u) / width - 1.0)
                down = scale(row(camera, 3), 2.0 * (y + v) / height - 1.0)
                direction = add(add(forward, right), down)
                direction = scale(direction, 1.0 / math.sqrt(dot(direction, direction)))
                survey(stage, settings, data, stack, position, direction, forward, seed, sample)
                follow(stage, settings, light, stack, position, direction, seed, sample)
            share = 1.0 / settings.samples
            for k in range(light.shape[0]):
                for c in range(3):
                    light[k, c] *= share
            for k in range(DATA_COUNT):
                if k != DEPTH:
                    data[k] *= share
