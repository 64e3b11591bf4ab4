"""The loops of all operators: a trimmed source S joins the running result B, pixel by pixel with a weight.

Planes are float32 (N,), premultiplied; b0..b3 change in place. Where the weight is 0 they keep their bits, whatever S
holds. Sources of the formulas: Porter & Duff 1984; W3C Compositing and Blending Level 1, sections 9 (cover) and 10
(blend).
"""

from __future__ import annotations

import numpy as np

from prism.compiled import compiled, inlined
from prism.ledger import operators as op

ZERO, HALF, ONE, TWO, FOUR = (np.float32(v) for v in (0, 0.5, 1, 2, 4))


@inlined
def _smaller(one, other):
    """What is no number stays so, on whichever side."""
    return one if one < other or one != one else other


@inlined
def _larger(one, other):
    return one if one > other or one != one else other


@inlined
def _limited(value):
    return value if value != value else min(max(value, ZERO), ONE)


@inlined
def _times(factor, value):
    """A factor of 0 leaves nothing, of infinity either."""
    return factor * value if factor != ZERO else ZERO


@inlined
def _mixed(b, result, w):
    """b + w (result - b), exact at w = 1 and for infinite b."""
    return result if w == ONE else (ONE - w) * b + w * result


@compiled
def cover(b0, b1, b2, b3, s0, s1, s2, s3, w, f0, f1, f2, f3):
    """Porter & Duff: w (f0 + f1 b) S + (1 - w (f2 + f3 a)) B, colour and alpha alike."""
    for i in range(w.size):
        if w[i] != ZERO:
            front = w[i] * (f0 + f1 * b3[i])
            back = ONE - w[i] * (f2 + f3 * s3[i])
            b0[i] = _times(front, s0[i]) + _times(back, b0[i])
            b1[i] = _times(front, s1[i]) + _times(back, b1[i])
            b2[i] = _times(front, s2[i]) + _times(back, b2[i])
            b3[i] = _times(front, s3[i]) + _times(back, b3[i])


@compiled
def plain_sum(b, s, w, code):
    """Arithmetic on one plane; see the table for the formulas."""
    for i in range(w.size):
        if w[i] == ZERO:
            continue
        if code == op.SUBTRACT:
            b[i] -= w[i] * s[i]
        elif code == op.DIVIDE:
            b[i] = _mixed(b[i], b[i] / s[i] if s[i] != ZERO else b[i], w[i])
        elif code == op.MINIMUM:
            b[i] = _mixed(b[i], _smaller(b[i], s[i]), w[i])
        elif code == op.MAXIMUM:
            b[i] = _mixed(b[i], _larger(b[i], s[i]), w[i])


@inlined
def _shaded(s, w):
    if s < ONE and w > ZERO:
        return max(s, ZERO) ** w
    return ONE + w * (s - ONE)


@compiled
def shade(b0, b1, b2, s0, s1, s2, w):
    """A factor on three planes. Occlusion is grey nearly everywhere, and a power costs more than all the rest: it is
    taken once for channels that are alike."""
    for i in range(w.size):
        if w[i] == ZERO:
            continue
        factor = _shaded(s0[i], w[i])
        b0[i] *= factor
        if s1[i] != s0[i]:
            factor = _shaded(s1[i], w[i])
        b1[i] *= factor
        if s2[i] != s1[i]:
            factor = _shaded(s2[i], w[i])
        b2[i] *= factor


@inlined
def _to_display(light):
    """The curve of sRGB (IEC 61966-2-1), going on above 1."""
    if light <= np.float32(0.0031308):
        return np.float32(12.92) * light
    if light == ONE:  # dodge and burn leap there, and rounding would miss it
        return ONE
    return np.float32(1.055) * light ** np.float32(1 / 2.4) - np.float32(0.055)


@inlined
def _to_light(display):
    if display <= np.float32(0.04045):
        return display / np.float32(12.92)
    if display == ONE:
        return ONE
    return ((display + np.float32(0.055)) / np.float32(1.055)) ** np.float32(2.4)


@compiled
def _screen(r, s):
    high = _larger(r, s)
    return r + s - r * s if high <= ONE else high


@compiled
def _hard_light(r, s):
    return TWO * r * s if s <= HALF else _screen(r, TWO * s - ONE)


@compiled
def _soft_light(r, s):
    if s <= HALF:
        return r - (ONE - TWO * s) * r * (ONE - r)
    deep = ((np.float32(16) * r - np.float32(12)) * r + FOUR) * r if r <= np.float32(0.25) else np.sqrt(r)
    return r + (TWO * s - ONE) * (deep - r)


@compiled
def _of_limited(r, s, code):
    """A mode that is made for 0..1, of values that lie there."""
    if code == op.OVERLAY:
        return _hard_light(s, r)
    if code == op.DODGE:
        return ZERO if r == ZERO else (ONE if s >= ONE else min(ONE, r / (ONE - s)))
    if code == op.BURN:
        return ONE if r == ONE else (ZERO if s <= ZERO else ONE - min(ONE, (ONE - r) / s))
    if code == op.HARD_LIGHT:
        return _hard_light(r, s)
    if code == op.SOFT_LIGHT:
        return _soft_light(r, s)
    return r + s - TWO * r * s


@compiled
def _blended(r, s, code, display):
    """One channel of a separable mode on straight values; what r has outside of 0..1 is kept aside where the mode
    cannot take it."""
    if code == op.MULTIPLY:
        return r * s
    if code == op.DARKEN:
        return _smaller(r, s)
    if code == op.LIGHTEN:
        return _larger(r, s)
    if code == op.DIFFERENCE:
        return abs(r - s)
    if code == op.SCREEN:
        return _to_light(_screen(_to_display(r), _to_display(s))) if display else _screen(r, s)
    inside = _limited(r)
    if display:
        return _to_light(_of_limited(_to_display(inside), _to_display(_limited(s)), code)) + (r - inside)
    return _of_limited(inside, _limited(s), code) + (r - inside)


@compiled
def _blend_channel(b, alpha_b, s, alpha_s, w, code, display):
    """S (1 - b) w + B (1 - a w) + a b w blend(r, s): the source counts with its weight."""
    if code == op.SCREEN and not display:
        weighted = w * s
        return _screen(b, weighted)
    both = alpha_b * alpha_s
    if code == op.MULTIPLY:
        common = b * s
    elif both > ZERO:
        common = both * _blended(b / alpha_b, s / alpha_s, code, display)
    else:
        common = ZERO
    return _times(w * (ONE - alpha_b), s) + _times(ONE - w * alpha_s, b) + w * common


@compiled
def blend(b, b_alpha, s, s_alpha, w, code, display):
    """A separable W3C mode on one colour plane; the alphas are those of before."""
    for i in range(w.size):
        if w[i] != ZERO:
            b[i] = _blend_channel(b[i], b_alpha[i], s[i], s_alpha[i], w[i], code, display)


@compiled
def blend_opaque(b, s, w, code, display):
    """The same for a source without alpha: both count as opaque, and the alpha of the result stays."""
    for i in range(w.size):
        if w[i] == ZERO:
            continue
        if code == op.MULTIPLY:
            b[i] *= (ONE - w[i]) + w[i] * s[i]
        elif code == op.SCREEN and not display:
            b[i] = _screen(b[i], w[i] * s[i])
        else:
            b[i] = _mixed(b[i], _blended(b[i], s[i], code, display), w[i])


@compiled
def unite(b_alpha, s_alpha, w):
    """a + b - a b with a = w alpha: the alpha of two that cover independently."""
    for i in range(w.size):
        if w[i] != ZERO:
            a = w[i] * s_alpha[i]
            b_alpha[i] = a + b_alpha[i] - a * b_alpha[i]


@inlined
def _luminosity(r, g, b):
    return np.float32(0.3) * r + np.float32(0.59) * g + np.float32(0.11) * b


@compiled
def _with_luminosity(r, g, b, wanted):
    """SetLum and ClipColor of the standard."""
    shift = wanted - _luminosity(r, g, b)
    r, g, b = r + shift, g + shift, b + shift
    middle, low, high = _luminosity(r, g, b), min(r, g, b), max(r, g, b)
    if not low < high:  # grey, which rounding may put beside 0..1
        grey = _limited(wanted)
        return grey, grey, grey
    if low < ZERO:
        part = middle / (middle - low)
        r, g, b = middle + (r - middle) * part, middle + (g - middle) * part, middle + (b - middle) * part
    if high > ONE:
        part = (ONE - middle) / (high - middle)
        r, g, b = middle + (r - middle) * part, middle + (g - middle) * part, middle + (b - middle) * part
    return r, g, b


@compiled
def _with_saturation(r, g, b, wanted):
    """SetSat of the standard."""
    low, high = min(r, g, b), max(r, g, b)
    if high <= low:
        return ZERO, ZERO, ZERO
    part = wanted / (high - low)
    return (r - low) * part, (g - low) * part, (b - low) * part


@inlined
def _range(r, g, b):
    return max(r, g, b) - min(r, g, b)


@compiled
def _whole_colour(r0, r1, r2, s0, s1, s2, code):
    """A non-separable mode of values within 0..1."""
    below, above = _luminosity(r0, r1, r2), _luminosity(s0, s1, s2)
    if code == op.HUE:
        h0, h1, h2 = _with_saturation(s0, s1, s2, _range(r0, r1, r2))
        return _with_luminosity(h0, h1, h2, below)
    if code == op.SATURATION:
        h0, h1, h2 = _with_saturation(r0, r1, r2, _range(s0, s1, s2))
        return _with_luminosity(h0, h1, h2, below)
    if code == op.COLOUR:
        return _with_luminosity(s0, s1, s2, below)
    return _with_luminosity(r0, r1, r2, above)


@compiled
def blend_whole(b0, b1, b2, b_alpha, s0, s1, s2, s_alpha, w, code, display):
    """A non-separable W3C mode on three colour planes; the alphas are those of before, 1 for opaque ones."""
    for i in range(w.size):
        if w[i] == ZERO:
            continue
        alpha_b, alpha_s = b_alpha[i], s_alpha[i]
        both = alpha_b * alpha_s
        m0 = m1 = m2 = ZERO
        if both > ZERO:
            r0, r1, r2 = b0[i] / alpha_b, b1[i] / alpha_b, b2[i] / alpha_b
            i0, i1, i2 = _limited(r0), _limited(r1), _limited(r2)
            t0, t1, t2 = _limited(s0[i] / alpha_s), _limited(s1[i] / alpha_s), _limited(s2[i] / alpha_s)
            if display:
                m0, m1, m2 = _whole_colour(
                    _to_display(i0), _to_display(i1), _to_display(i2),
                    _to_display(t0), _to_display(t1), _to_display(t2), code,
                )  # fmt: skip
                m0, m1, m2 = _to_light(m0), _to_light(m1), _to_light(m2)
            else:
                m0, m1, m2 = _whole_colour(i0, i1, i2, t0, t1, t2, code)
            m0, m1, m2 = both * (m0 + r0 - i0), both * (m1 + r1 - i1), both * (m2 + r2 - i2)
        front, back = w[i] * (ONE - alpha_b), ONE - w[i] * alpha_s
        b0[i] = _times(front, s0[i]) + _times(back, b0[i]) + w[i] * m0
        b1[i] = _times(front, s1[i]) + _times(back, b1[i]) + w[i] * m1
        b2[i] = _times(front, s2[i]) + _times(back, b2[i]) + w[i] * m2
