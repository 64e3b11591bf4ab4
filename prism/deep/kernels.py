"""Compiled loops over deep pixels, a band of pixels at a time; each writes where the counts that were found before say.

A volume of alpha a has the optical depth u = -ln(1 - a), which is what adds up: a part t of it has u t. Where several
cover the same stretch, u = sum of theirs, a = 1 - e^-u, and colour is the sum of C u_i / a_i, times a / u. What is
opaque hides what is not; several of them give their mean. Source: "Interpreting OpenEXR Deep Pixels", splitting and
merging.
"""

from __future__ import annotations

import numpy as np

from prism.compiled import compiled


@compiled
def copy_row(target, at, values, row):
    """One row of a table into another."""
    for c in range(values.shape[1]):
        target[at, c] = values[row, c]


@compiled
def thickness(alpha):
    """Optical depth of an alpha below 1, and what colour is divided by for it: (u, u / alpha)."""
    if alpha <= 0.0:
        return 0.0, 1.0
    u = -np.log1p(-alpha)
    return u, u / alpha


@compiled
def edges_of(depth, begin, end, edges):
    """The fronts and backs of samples begin..end, each once, rising, into `edges`. Returns how many."""
    return add_edges(depth, begin, end, edges, 0)


@compiled
def add_edges(depth, begin, end, edges, count):
    """The same, among `count` that are there."""
    for sample in range(begin, end):
        for side in range(2):
            value = depth[sample, side]
            place = count
            while place > 0 and edges[place - 1] > value:
                place -= 1
            if place > 0 and edges[place - 1] == value:
                continue
            for later in range(count, place, -1):
                edges[later] = edges[later - 1]
            edges[place] = value
            count += 1
    return count


@compiled
def is_there(depth, sample, low, high):
    """Whether a sample lies at a point (low == high), or goes all through a stretch."""
    if low == high:
        return depth[sample, 0] == low and depth[sample, 1] == low
    return depth[sample, 0] <= low and depth[sample, 1] >= high


@compiled
def met(depth, alpha, begin, end, low, high):
    """How many samples lie there, whether one of them is opaque, and the first of them."""
    count, opaque, first = 0, False, -1
    for sample in range(begin, end):
        if is_there(depth, sample, low, high):
            first = sample if count == 0 else first
            count += 1
            opaque = opaque or alpha[sample] >= 1.0
    return count, opaque, first


@compiled
def in_order(depth, begin, end, order):
    """Samples begin..end by their fronts, into `order`. Returns whether all are points, which need no splitting."""
    points = True
    for sample in range(begin, end):
        front = depth[sample, 0]
        points = points and depth[sample, 1] == front
        place = sample - begin
        while place > 0 and depth[order[place - 1], 0] > front:
            order[place] = order[place - 1]
            place -= 1
        order[place] = sample
    return points


@compiled
def count_tidy(offsets, depth, alpha, counts, edges, order, first, last):
    """How many samples each pixel first..last has once it is tidy; what lies behind an opaque one is gone."""
    for pixel in range(first, last):
        begin, end = offsets[pixel], offsets[pixel + 1]
        if in_order(depth, begin, end, order):
            counts[pixel] = count_points(depth, alpha, order, end - begin)
            continue
        stops = edges_of(depth, begin, end, edges)
        total = 0
        done = False
        for stop in range(stops):
            for stretch in range(2):
                if done or stop + stretch >= stops:
                    continue
                found, opaque, _ = met(depth, alpha, begin, end, edges[stop], edges[stop + stretch])
                total += found > 0
                done = opaque
        counts[pixel] = total


@compiled
def count_points(depth, alpha, order, count):
    """Different depths among so many points in order, up to the first that is opaque."""
    total = 0
    opaque = False
    for place in range(count):
        sample = order[place]
        if place == 0 or depth[sample, 0] != depth[order[place - 1], 0]:
            if opaque:
                break
            total += 1
        opaque = opaque or alpha[sample] >= 1.0
    return total


@compiled
def mix(depth, alpha, colour, begin, end, low, high, opaque, into):
    """What the samples there come to: its alpha; colour into `into` (C,)."""
    into[:] = 0.0
    optical, count = 0.0, 0
    for sample in range(begin, end):
        if not is_there(depth, sample, low, high) or (opaque and alpha[sample] < 1.0):
            continue
        count += 1
        share, weight = 1.0, 1.0
        if not opaque:
            if low < high:
                share = (high - low) / (depth[sample, 1] - depth[sample, 0])
            u, per_alpha = thickness(alpha[sample])
            optical += share * u
            weight = share * per_alpha
        for c in range(into.size):
            into[c] += weight * colour[sample, c]
    if opaque:
        for c in range(into.size):
            into[c] /= count
        return 1.0
    covered = -np.expm1(-optical)
    if optical > 0.0:
        for c in range(into.size):
            into[c] *= covered / optical
    return covered


@compiled
def strongest(depth, alpha, begin, end, low, high):
    """The sample there that covers most, whose whole numbers count."""
    best = -1
    for sample in range(begin, end):
        if is_there(depth, sample, low, high) and (best < 0 or alpha[sample] > alpha[best]):
            best = sample
    return best


@compiled
def fill_tidy(
    offsets, depth, alpha, colour, ids, targets, new_depth, new_alpha, new_colour, new_ids, edges, order, into, first,
    last,
):  # fmt: skip
    """The tidy samples of pixels first..last, near to far, from `targets` on. What stands alone keeps every bit."""
    for pixel in range(first, last):
        begin, end = offsets[pixel], offsets[pixel + 1]
        at, stop_at = targets[pixel], targets[pixel + 1]
        if in_order(depth, begin, end, order):
            place = 0
            while at < stop_at:
                only = order[place]
                low = depth[only, 0]
                place += 1
                if place < end - begin and depth[order[place], 0] == low:
                    while place < end - begin and depth[order[place], 0] == low:
                        place += 1
                    put_mixed(depth, alpha, colour, ids, begin, end, low, low, new_alpha, new_colour, new_ids, into, at)
                else:
                    put_alone(alpha, colour, ids, only, new_alpha, new_colour, new_ids, at)
                new_depth[at, 0] = low
                new_depth[at, 1] = low
                at += 1
            continue
        stops = edges_of(depth, begin, end, edges)
        for stop in range(stops):
            for stretch in range(2):
                if at == stop_at or stop + stretch >= stops:
                    continue
                low, high = edges[stop], edges[stop + stretch]
                found, _, only = met(depth, alpha, begin, end, low, high)
                if found == 0:
                    continue
                if found == 1 and depth[only, 0] == low and depth[only, 1] == high:
                    put_alone(alpha, colour, ids, only, new_alpha, new_colour, new_ids, at)
                else:
                    put_mixed(
                        depth, alpha, colour, ids, begin, end, low, high, new_alpha, new_colour, new_ids, into, at
                    )
                new_depth[at, 0] = low
                new_depth[at, 1] = high
                at += 1


@compiled
def put_alone(alpha, colour, ids, only, new_alpha, new_colour, new_ids, at):
    """A sample as it is."""
    new_alpha[at] = alpha[only]
    copy_row(new_colour, at, colour, only)
    copy_row(new_ids, at, ids, only)


@compiled
def put_mixed(depth, alpha, colour, ids, begin, end, low, high, new_alpha, new_colour, new_ids, into, at):
    """What all that lies at a place comes to."""
    _, opaque, _ = met(depth, alpha, begin, end, low, high)
    new_alpha[at] = mix(depth, alpha, colour, begin, end, low, high, opaque, into)
    for c in range(into.size):
        new_colour[at, c] = into[c]
    copy_row(new_ids, at, ids, strongest(depth, alpha, begin, end, low, high))


@compiled
def gather(
    offsets, depth, alpha, colour, ids, begins, columns, new_depth, new_alpha, new_colour, new_ids, first, last,
):  # fmt: skip
    """Samples of pixels first..last to where `begins` says for their `columns` in a larger picture; begins moves on."""
    for pixel in range(first, last):
        at = begins[columns[pixel]]
        for sample in range(offsets[pixel], offsets[pixel + 1]):
            put_alone(alpha, colour, ids, sample, new_alpha, new_colour, new_ids, at)
            new_depth[at, 0] = depth[sample, 0]
            new_depth[at, 1] = depth[sample, 1]
            at += 1
        begins[columns[pixel]] = at


@compiled
def flatten(offsets, alpha, colour, flat_alpha, flat_colour, first, last):
    """Tidy samples of pixels first..last over each other: (P,) and (P, C)."""
    for pixel in range(first, last):
        through = 1.0
        for sample in range(offsets[pixel], offsets[pixel + 1]):
            for c in range(flat_colour.shape[1]):
                flat_colour[pixel, c] += through * colour[sample, c]
            through *= 1.0 - alpha[sample]
        flat_alpha[pixel] = 1.0 - through


@compiled
def flatten_error(offsets, alpha, colour, unit, bound, first, last):
    """How far samples that are each off by `unit` of themselves can take the colour of tidy pixels first..last, (P, C).

    What is let through is the product of all 1 - alpha before: where an alpha is nearly 1, a small error of it is a
    large one of that, and colour behind it is as much brighter.
    """
    for pixel in range(first, last):
        through, error = 1.0, 0.0
        for sample in range(offsets[pixel], offsets[pixel + 1]):
            for c in range(bound.shape[1]):
                size = abs(colour[sample, c])
                bound[pixel, c] += error * size + (through + error) * size * unit
            a = min(1.0, alpha[sample])
            error = error * (1.0 - a) + (through + error) * a * unit if a < 1.0 else 0.0
            through *= 1.0 - a


@compiled
def put_behind(alpha, colour, sample, share, flat, pixel, through):
    """A part of a sample, that share of its depth, behind what was put there before. Returns what it lets through."""
    piece, scale = alpha[sample], 1.0
    if share < 1.0 and alpha[sample] < 1.0:
        if alpha[sample] <= 0.0:
            scale = share
        else:
            piece = -np.expm1(share * np.log1p(-alpha[sample]))
            scale = piece / alpha[sample]
    for c in range(flat.shape[1]):
        flat[pixel, c] += through * scale * colour[sample, c]
    return through * (1.0 - piece)


@compiled
def add_at_point(alpha, colour, into, optical, opaque):
    """One of several things at a point, into the mix of all (C,). Opaque ones alone count once there is one. Returns
    how much stands there now, optically, and how many are opaque."""
    if alpha >= 1.0:
        if opaque == 0:
            into[:] = 0.0
        for c in range(into.size):
            into[c] += colour[c]
        return optical, opaque + 1
    if opaque > 0:
        return optical, opaque
    u, per_alpha = thickness(alpha)
    for c in range(into.size):
        into[c] += per_alpha * colour[c]
    return optical + u, 0


@compiled
def flatten_among(offsets, depth, alpha, colour, card_depth, card_alpha, card_colour, flat, into, first, last):
    """Tidy samples of pixels first..last over each other with points among them: card_depth, card_alpha (K, P),
    card_colour (K, P, C). flat: (P, C); into: (C,) float64, for a mix."""
    for pixel in range(first, last):
        sample, end = offsets[pixel], offsets[pixel + 1]
        through, done, low = 1.0, -np.inf, -np.inf
        while True:
            at = np.inf
            for k in range(card_depth.shape[0]):
                if done < card_depth[k, pixel] < at:
                    at = card_depth[k, pixel]
            while sample < end:
                front, back = depth[sample, 0], depth[sample, 1]
                begin = max(front, low)
                stop = min(back, at)
                if at < np.inf and (begin >= at or (front == back and front >= at)):
                    break
                share = 1.0 if begin == front and stop == back else (stop - begin) / (back - front)
                through = put_behind(alpha, colour, sample, share, flat, pixel, through)
                if stop < back:
                    low = at
                    break
                sample += 1
                low = -np.inf
            if at == np.inf:
                break
            through, sample = put_points(
                depth, alpha, colour, sample, end, card_depth, card_alpha, card_colour, at, flat, pixel, through, into
            )
            done = at


@compiled
def put_points(
    depth, alpha, colour, sample, end, card_depth, card_alpha, card_colour, at, flat, pixel, through, into
):  # fmt: skip
    """All that stands at one depth, mixed. Returns what is let through, and the sample that comes next."""
    into[:] = 0.0
    optical, opaque = 0.0, 0
    if sample < end and depth[sample, 0] == at and depth[sample, 1] == at:
        optical, opaque = add_at_point(alpha[sample], colour[sample], into, optical, opaque)
        sample += 1
    for k in range(card_depth.shape[0]):
        if card_depth[k, pixel] == at:
            optical, opaque = add_at_point(card_alpha[k, pixel], card_colour[k, pixel], into, optical, opaque)
    covered = 1.0 if opaque > 0 else -np.expm1(-optical)
    scale = 1.0 / opaque if opaque > 0 else (covered / optical if optical > 0.0 else 1.0)
    for c in range(into.size):
        flat[pixel, c] += through * scale * into[c]
    return through * (1.0 - covered), sample


@compiled
def hold_out(
    offsets, depth, alpha, colour, other_offsets, other_depth, other_alpha, solids, out_alpha, out_colour, first, last
):
    """What of tidy samples is seen among those of another tidy picture, which were split where the other's edges are.

    m: what a sample covers of the picture, k: its colour in it. They are given as samples that come to just that when
    they are laid over each other: m and k over what the samples before leave free.
    """
    for pixel in range(first, last):
        other, end = other_offsets[pixel], other_offsets[pixel + 1]
        before, hidden, taken = 1.0, 1.0, 0.0  # let through by itself, and by the other; covered so far
        for sample in range(offsets[pixel], offsets[pixel + 1]):
            low, high = depth[sample, 0], depth[sample, 1]
            while other < end and other_depth[other, 1] <= low and not (other_depth[other, 0] == low == high):
                hidden *= 1.0 - other_alpha[other]
                other += 1
            share = 1.0
            if other < end and other_depth[other, 0] == low and other_depth[other, 1] == high:
                share = share_of(alpha[sample], other_alpha[other], solids[sample])
            scale = before * hidden * share
            free = 1.0 - taken
            covered = scale * alpha[sample]
            out_alpha[sample] = min(1.0, covered / free) if free > 0.0 else 0.0
            for c in range(colour.shape[1]):
                out_colour[sample, c] = scale * colour[sample, c] / free if free > 0.0 else 0.0
            taken += covered
            before *= 1.0 - alpha[sample]


@compiled
def share_of(alpha, other, solids):
    """What of itself shows of a sample that shares its place with another. solids: how many are in the other, where
    both are opaque: they give the mean of all."""
    if other >= 1.0:
        return 1.0 / (1.0 + solids) if alpha >= 1.0 else 0.0
    if alpha >= 1.0:
        return 1.0
    u, per_alpha = thickness(alpha)
    v, _ = thickness(other)
    if u + v <= 0.0:
        return 1.0
    return per_alpha * -np.expm1(-(u + v)) / (u + v)


@compiled
def count_pieces(offsets, depth, other_offsets, other_depth, counts, first, last):
    """Pieces of each sample of pixels first..last, once it is split at every front and back of the other's."""
    for pixel in range(first, last):
        for sample in range(offsets[pixel], offsets[pixel + 1]):
            counts[sample] = 1
            previous = depth[sample, 0]
            while True:
                cut = next_cut(other_offsets, other_depth, pixel, previous, depth[sample, 1])
                if cut == previous:
                    break
                counts[sample] += 1
                previous = cut


@compiled
def next_cut(offsets, depth, pixel, after, before):
    """The nearest front or back between two depths; `after` if there is none."""
    found = before
    for sample in range(offsets[pixel], offsets[pixel + 1]):
        for side in range(2):
            value = depth[sample, side]
            if after < value < found:
                found = value
    return found if found < before else after


@compiled
def fill_pieces(
    offsets, depth, alpha, colour, ids, other_offsets, other_depth, targets, new_depth, new_alpha, new_colour, new_ids,
    first, last,
):  # fmt: skip
    """The pieces, near to far, from `targets` of each sample on. What is not split keeps every bit."""
    for pixel in range(first, last):
        for sample in range(offsets[pixel], offsets[pixel + 1]):
            front, back = depth[sample, 0], depth[sample, 1]
            low = front
            for at in range(targets[sample], targets[sample + 1]):
                last_piece = at + 1 == targets[sample + 1]
                high = back if last_piece else next_cut(other_offsets, other_depth, pixel, low, back)
                put_piece(alpha, colour, sample, front, back, low, high, new_alpha, new_colour, at)
                new_depth[at, 0] = low
                new_depth[at, 1] = high
                copy_row(new_ids, at, ids, sample)
                low = high


@compiled
def put_piece(alpha, colour, sample, front, back, low, high, new_alpha, new_colour, at):
    """A part of a volume, as a sample of its own."""
    if low == front and high == back:
        new_alpha[at] = alpha[sample]
        copy_row(new_colour, at, colour, sample)
        return
    share = (high - low) / (back - front)
    if alpha[sample] >= 1.0:
        piece, scale = 1.0, 1.0
    elif alpha[sample] <= 0.0:
        piece, scale = 0.0, share
    else:
        piece = -np.expm1(share * np.log1p(-alpha[sample]))
        scale = piece / alpha[sample]
    new_alpha[at] = piece
    for c in range(colour.shape[1]):
        new_colour[at, c] = scale * colour[sample, c]


@compiled
def cut(offsets, depth, alpha, colour, near, far, keeps, first, last):
    """In place: samples of pixels first..last within near <= depth < far; volumes lose what lies outside. keeps: (N,)
    which stay."""
    for pixel in range(first, last):
        for sample in range(offsets[pixel], offsets[pixel + 1]):
            front, back = depth[sample, 0], depth[sample, 1]
            low, high = max(front, near), min(back, far)
            keeps[sample] = near <= front < far if front == back else low < high
            if keeps[sample] and (low != front or high != back):
                put_piece(alpha, colour, sample, front, back, low, high, alpha, colour, sample)
                depth[sample, 0] = low
                depth[sample, 1] = high


@compiled
def thin(offsets, depth, alpha, colour, tolerance, most, keeps, first, last):
    """In place: neighbours of tidy pixels first..last joined by over, while they lie within a tolerance of depth, and
    then those that cost least until there are no more than `most`. keeps: (N,) which stay."""
    for pixel in range(first, last):
        begin, end = offsets[pixel], offsets[pixel + 1]
        left = end - begin
        at = begin
        for sample in range(begin, end):
            keeps[sample] = True
            if sample > begin and depth[sample, 1] - depth[at, 0] <= tolerance:
                join(depth, alpha, colour, at, sample)
                keeps[sample] = False
                left -= 1
            else:
                at = sample
        while left > most:
            best, following, least = -1, -1, np.inf
            before = -1
            for sample in range(begin, end):
                if not keeps[sample]:
                    continue
                if before >= 0:
                    cost = join_cost(alpha, colour, before, sample)
                    if cost < least:
                        best, following, least = before, sample, cost
                before = sample
            if best < 0:
                break
            join(depth, alpha, colour, best, following)
            keeps[following] = False
            left -= 1


@compiled
def join_cost(alpha, colour, front, back):
    """The largest change of the picture where something black or white comes between two samples that are joined."""
    most = alpha[back]
    for c in range(colour.shape[1]):
        most = max(most, abs(colour[back, c]))
    return (1.0 - alpha[front]) * most


@compiled
def join(depth, alpha, colour, front, back):
    """The front sample becomes both, laid over each other; exact as long as nothing comes between them."""
    through = 1.0 - alpha[front]
    for c in range(colour.shape[1]):
        colour[front, c] += through * colour[back, c]
    alpha[front] += through * alpha[back]
    if depth[front, 0] < depth[front, 1] or depth[back, 0] < depth[back, 1]:
        depth[front, 1] = max(depth[front, 1], depth[back, 1])


@compiled
def seen_before(depth, alpha, colour, sample, end, z, reached, total):
    """What is seen in front of a depth, into `total` (alpha, then colour): samples from one on, less what was summed of
    them into it before. Returns the first sample that is not wholly in front. reached: whether points at z count."""
    while sample < end:
        front, back = depth[sample, 0], depth[sample, 1]
        if back > z or (back == z and front == back and not reached):
            break
        through = 1.0 - total[0]
        total[0] += through * alpha[sample]
        for c in range(colour.shape[1]):
            total[1 + c] += through * colour[sample, c]
        sample += 1
    return sample


@compiled
def with_part(depth, alpha, colour, sample, end, z, reached, total, seen):
    """`total`, and the part in front of a depth of the volume that it goes through, into `seen`. reached: just behind
    z, where a solid volume that begins there is seen whole."""
    for c in range(total.size):
        seen[c] = total[c]
    if sample >= end or z >= depth[sample, 1]:
        return
    begun = depth[sample, 0] < z or (reached and depth[sample, 0] == z and alpha[sample] >= 1.0)
    if not begun:
        return
    share = (z - depth[sample, 0]) / (depth[sample, 1] - depth[sample, 0])
    through = 1.0 - total[0]
    if alpha[sample] >= 1.0:  # hides all behind its front
        part, scale = 1.0, 1.0
    elif alpha[sample] > 0.0:
        part = 1.0 - np.exp(share * np.log1p(-alpha[sample]))
        scale = part / alpha[sample]
    else:
        part, scale = 0.0, share
    seen[0] += through * part
    for c in range(colour.shape[1]):
        seen[1 + c] += through * colour[sample, c] * scale


@compiled
def seen_apart(
    offsets, depth, alpha, colour, other_offsets, other_depth, other_alpha, other_colour, room, apart, first, last
):
    """For tidy pixels first..last of two pictures, the largest change of alpha or a channel of what is seen in front of
    any depth: there is none larger than just before or just behind a front or back, or half-way between two. room: of
    float64, (4, 1 + C) and as many places for edges as a pixel of both has, to work in."""
    work, edges = room
    size = work.shape[1]
    totals, seen = work[:2], work[2:]
    for pixel in range(first, last):
        one, one_end = offsets[pixel], offsets[pixel + 1]
        two, two_end = other_offsets[pixel], other_offsets[pixel + 1]
        count = add_edges(depth, one, one_end, edges, 0)
        count = add_edges(other_depth, two, two_end, edges, count)
        for turn in range(2):
            for c in range(size):
                totals[turn, c] = 0.0
        largest = 0.0
        for at in range(count):
            for turn in range(3):  # up to an edge, with what lies at it, and half-way to the next
                z, reached = edges[at], turn > 0
                if turn == 2:
                    if at + 1 >= count or not edges[at + 1] < np.inf:
                        continue
                    z = (edges[at] + edges[at + 1]) / 2
                one = seen_before(depth, alpha, colour, one, one_end, z, reached, totals[0])
                two = seen_before(other_depth, other_alpha, other_colour, two, two_end, z, reached, totals[1])
                with_part(depth, alpha, colour, one, one_end, z, reached, totals[0], seen[0])
                with_part(other_depth, other_alpha, other_colour, two, two_end, z, reached, totals[1], seen[1])
                for c in range(size):
                    largest = max(largest, abs(seen[0, c] - seen[1, c]))
        apart[pixel] = largest
