"""Light gathered straight from lights: which light of a group is asked, and what it sends to a place, compiled."""

import math

from prism.compiled import compiled
from standin.accumulation import add_light, limited
from standin.medium import phase
from standin.rays import light_through
from standin.sampling import pair
from standin.shading import aim, aim_cosine, aim_density, fresnel, ggx
from standin.survey import LIT, OPEN
from standin.vectors import dot, largest, mul, scale, vec

ANY = -1  # group


@compiled
def aim_weight(stage, light, point):
    """How much of its group's attention a light deserves at a point: brightness times visible solid angle."""
    cosine = aim_cosine(stage, light, point)
    return (1.0 - cosine) * largest(vec(stage.lights[light].radiance)) if cosine <= 1.0 else 0.0


@compiled
def total_weight(stage, group, point):
    """The weight of the lights of one group, or of all if it is ANY."""
    total = 0.0
    for light in range(stage.lights.size):
        if group == ANY or stage.lights[light].group == group:
            total += aim_weight(stage, light, point)
    return total


@compiled
def aimed_density(stage, light, point, rough):
    """Density over solid angle with which `choose_light` and `aim` find this light's directions. rough: as in
    gather."""
    weight = aim_weight(stage, light, point)
    if weight == 0.0:
        return 0.0
    group = stage.lights[light].group if rough == 0 else ANY
    return aim_density(aim_cosine(stage, light, point)) * weight / total_weight(stage, group, point)


@compiled
def choose_light(stage, group, point, choice):
    """One light of a group (or of all), by weight: (light, cosine of its half angle, density of aiming at it).

    -1 if none can be aimed at.
    """
    total = total_weight(stage, group, point)
    target = choice * total
    picked = -1
    picked_weight = 0.0
    for light in range(stage.lights.size):
        if group == ANY or stage.lights[light].group == group:
            weight = aim_weight(stage, light, point)
            if weight > 0.0:
                picked = light
                picked_weight = weight
                target -= weight
                if target <= 0.0:
                    break
    if picked < 0:
        return -1, 2.0, 0.0
    cosine = aim_cosine(stage, picked, point)
    return picked, cosine, aim_density(cosine) * picked_weight / total


@compiled
def turns_of(settings, rough):
    """Shadow rays at a place: for every light group where light is first scattered roughly, as seen from the camera;
    one to any light after that, where the others would hardly show."""
    return settings.groups * settings.light_samples if rough == 0 else min(1, settings.groups)


@compiled
def gather(
    stage, settings, account, data, walk, point, n, view, surface, throughput, rows, scattered, rough, seed, sample
):
    """Add the light that reaches a surface straight from lights, by shadow rays.

    surface: (diffuse reflectance, specular reflectance at the normal, roughness squared, chance of sampling specular).
    rows: of the account, for diffuse and specular light. scattered: how often light was scattered from here to the
    camera, rough: not counting mirrors and glass. Shadows are measured at what the camera sees.
    """
    diffuse, specular, alpha, specular_chance = surface
    share = 1.0 / settings.light_samples if rough == 0 else 1.0
    for turn in range(turns_of(settings, rough)):
        purpose = 1000 + (scattered * settings.groups * settings.light_samples + turn) * 2
        choice, _ = pair(seed, sample, purpose)
        source, cosine, density = choose_light(
            stage, turn // settings.light_samples if rough == 0 else ANY, point, choice
        )
        if source < 0:
            continue
        group = stage.lights[source].group
        u, v = pair(seed, sample, purpose + 1)
        direction, distance, radiance = aim(stage, source, point, cosine, u, v)
        cos_l = dot(n, direction)
        if cos_l <= 0.0:
            continue
        through = light_through(stage, point, direction, distance, walk)
        if scattered == 0:
            for c in range(3):
                data[OPEN + c] += radiance[c] * cos_l / density * share
                data[LIT + c] += radiance[c] * through[c] * cos_l / density * share
        if largest(through) <= 0.0:
            continue
        arriving = scale(mul(mul(throughput, through), radiance), share / density)
        if largest(diffuse) > 0.0:
            other = (1.0 - specular_chance) * cos_l / math.pi
            value = scale(mul(arriving, diffuse), cos_l / math.pi * density / (density + other))
            add_light(account, settings.groups, rows[0], group, limited(value, scattered, settings.indirect_limit))
        if specular_chance > 0.0:
            factor, facet_density = ggx(n, view, direction, alpha)
            other = specular_chance * facet_density
            value = scale(mul(arriving, fresnel(specular, view, direction)), factor * density / (density + other))
            add_light(account, settings.groups, rows[1], group, limited(value, scattered, settings.indirect_limit))


@compiled
def gather_in_fog(stage, settings, account, walk, point, towards, throughput, row, scattered, rough, seed, sample):
    """Add the light that reaches a place in the fog straight from lights and is scattered on to `towards`."""
    share = 1.0 / settings.light_samples if rough == 0 else 1.0
    for turn in range(turns_of(settings, rough)):
        purpose = 500_000 + (scattered * settings.groups * settings.light_samples + turn) * 2
        choice, _ = pair(seed, sample, purpose)
        source, cosine, density = choose_light(
            stage, turn // settings.light_samples if rough == 0 else ANY, point, choice
        )
        if source < 0:
            continue
        group = stage.lights[source].group
        u, v = pair(seed, sample, purpose + 1)
        direction, distance, radiance = aim(stage, source, point, cosine, u, v)
        through = light_through(stage, point, direction, distance, walk)
        if largest(through) <= 0.0:
            continue
        likely = phase(stage.medium, -dot(direction, towards))
        weight = share * likely / (density + likely)  # balance heuristic, against what directions drawn by phase find
        value = scale(mul(mul(throughput, through), radiance), weight)
        add_light(account, settings.groups, row, group, limited(value, scattered, settings.indirect_limit))


@compiled
def hit_weight(stage, settings, source, last_point, density, rough):
    """Balance heuristic for a light found by chance that could also have been aimed at (Veach, 1997).

    rough: how often light was scattered roughly on its way, the last time at last_point.
    """
    if density == 0.0:  # camera or mirror ray: aiming could not have found it
        return 1.0
    aimed = aimed_density(stage, source, last_point, rough - 1)
    return density / (density + aimed)
