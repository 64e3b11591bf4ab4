"""Light gathered straight from lights: which light of a group is asked, and what it sends to a place, compiled."""

import math

from prism.compiled import compiled
from prism.standin.booking import book, limited
from prism.standin.medium import phase
from prism.standin.rays import light_through
from prism.standin.sampling import pair
from prism.standin.shading import aim, aim_cosine, aim_density, fresnel, ggx
from prism.standin.survey import LIT, OPEN
from prism.standin.vectors import dot, largest, mul, scale, vec


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
    """Density over solid angle with which `pick_light` and `aim` find this light's directions."""
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
def turns_of(settings, rough):
    """Shadow rays at a place: for every light group where light is first scattered roughly, as seen from the camera; for
    one of them, drawn by lot, after that, where the others would hardly show."""
    return settings.groups * settings.light_samples if rough == 0 else min(1, settings.groups)


@compiled
def odds_of_group(settings, rough):
    """How likely a light group is asked at a place."""
    return 1.0 if rough == 0 else 1.0 / max(1, settings.groups)


@compiled
def gather(
    stage, settings, account, data, stack, point, n, view, surface, throughput, rows, scattered, rough, seed, sample
):
    """Book the light that reaches a surface straight from lights, by shadow rays.

    surface: (diffuse reflectance, specular reflectance at the normal, roughness squared, chance of sampling specular).
    rows: of the account, for diffuse and specular light. scattered: how often light was scattered from here to the
    camera, rough: not counting mirrors and glass. Shadows are measured at what the camera sees.
    """
    diffuse, specular, alpha, specular_chance = surface
    share = 1.0 / settings.light_samples if rough == 0 else 1.0
    odds = odds_of_group(settings, rough)
    limit = settings.indirect_limit / odds
    for turn in range(turns_of(settings, rough)):
        purpose = 1000 + (scattered * settings.groups * settings.light_samples + turn) * 2
        choice, which = pair(seed, sample, purpose)
        group = turn // settings.light_samples if rough == 0 else int(which * settings.groups)
        source = pick_light(stage, group, point, choice)
        if source < 0:
            continue
        u, v = pair(seed, sample, purpose + 1)
        cosine = aim_cosine(stage, source, point)
        direction, distance, radiance = aim(stage, source, point, cosine, u, v)
        cos_l = dot(n, direction)
        if cos_l <= 0.0:
            continue
        through = light_through(stage, point, direction, distance, stack)
        density = aimed_density(stage, source, point) * odds
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
            book(account, settings.groups, rows[0], group, limited(value, scattered, limit))
        if specular_chance > 0.0:
            factor, facet_density = ggx(n, view, direction, alpha)
            other = specular_chance * facet_density
            value = scale(mul(arriving, fresnel(specular, view, direction)), factor * density / (density + other))
            book(account, settings.groups, rows[1], group, limited(value, scattered, limit))


@compiled
def gather_in_fog(stage, settings, account, stack, point, towards, throughput, row, scattered, rough, seed, sample):
    """Book the light that reaches a place in the fog straight from lights and is scattered on to `towards`."""
    share = 1.0 / settings.light_samples if rough == 0 else 1.0
    odds = odds_of_group(settings, rough)
    limit = settings.indirect_limit / odds
    for turn in range(turns_of(settings, rough)):
        purpose = 500_000 + (scattered * settings.groups * settings.light_samples + turn) * 2
        choice, which = pair(seed, sample, purpose)
        group = turn // settings.light_samples if rough == 0 else int(which * settings.groups)
        source = pick_light(stage, group, point, choice)
        if source < 0:
            continue
        u, v = pair(seed, sample, purpose + 1)
        direction, distance, radiance = aim(stage, source, point, aim_cosine(stage, source, point), u, v)
        through = light_through(stage, point, direction, distance, stack)
        if largest(through) <= 0.0:
            continue
        density = aimed_density(stage, source, point) * odds
        likely = phase(stage.medium, -dot(direction, towards))
        weight = share * likely / (density + likely)  # balance heuristic, against what directions drawn by phase find
        value = scale(mul(mul(throughput, through), radiance), weight)
        book(account, settings.groups, row, group, limited(value, scattered, limit))


@compiled
def hit_weight(stage, settings, source, last_point, density, rough):
    """Balance heuristic for a light found by chance that could also have been aimed at (Veach, 1997).

    rough: how often light was scattered roughly on its way, the last time at last_point.
    """
    if density == 0.0:  # camera or mirror ray: aiming could not have found it
        return 1.0
    aimed = aimed_density(stage, source, last_point) * odds_of_group(settings, rough - 1)
    return density / (density + aimed)
