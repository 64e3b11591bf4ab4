"""How far rounding alone can take a sum: bounds worked out by hand, and met by values that were rounded."""

import unittest

import numpy as np

from prism.balance.rounding import SMALLEST_HALF, UNIT_FLOAT, UNIT_HALF, UNIT_SUMMED, rounding_bound
from prism.combine.evaluate import run
from prism.combine.program import compile_ledger
from prism.ledger.document import Ledger
from prism.tests.memory import MemoryFrame

NOTHING = compile_ledger(Ledger(alpha=None), 1)


def program_of(*rows):
    return compile_ledger(Ledger.from_json({"alpha": None, "rows": rows}), 1)


def bound_of(frame, *rows):
    return rounding_bound(program_of(*rows), NOTHING, frame)


def plane(value, dtype=np.float32):
    return np.full((3, 2, 2), value, dtype)


class Rounding(unittest.TestCase):
    def test_what_was_pushed_is_off_where_it_lies_now(self):
        """A bright line pushed from the first band of rows to the last: its rounding goes with it."""
        bright = np.zeros((3, 100, 6), np.float16)
        bright[:, 2] = 100
        frame = MemoryFrame({"line": (bright, None)})
        row = {"id": "line", "kind": "overlay", "source": "line", "in_balance": True, "y": 90}
        program = compile_ledger(Ledger.from_json({"alpha": None, "beauty": "line", "rows": [row]}), 1)
        picture, bound = run(program, frame), rounding_bound(program, NOTHING, frame)
        self.assertEqual(picture[0, 92, 0], 100)
        self.assertGreaterEqual(bound[0, 92, 0], 100 * UNIT_HALF)

    def test_every_term_of_a_sum_adds_its_rounding(self):
        """Higham, section 4.2: n terms in any order are off by up to n units of their magnitudes together."""
        count = 200
        frame = MemoryFrame({f"p{n}": (plane(1), None) for n in range(count)})
        rows = [{"id": f"r{n}", "source": f"p{n}"} for n in range(count)]
        due = count * UNIT_SUMMED + (1 + count) * UNIT_FLOAT * count
        np.testing.assert_allclose(bound_of(frame, *rows)[0], due, rtol=1e-4)
        both = rounding_bound(program_of(*rows), program_of(*rows[:50]), frame)
        due = (count + 50) * UNIT_SUMMED + (1 + count + 50) * UNIT_FLOAT * (count + 50)
        np.testing.assert_allclose(both[0], due, rtol=1e-4)

    def test_a_blend_may_double_what_both_are_off_by(self):
        """Hard light, 2 r s up to s = 1/2, is the steepest: its slope over either is 2 at most."""
        frame = MemoryFrame({"a": (plane(0.5, np.float16), None), "b": (plane(0.5, np.float16), None)})
        bound = bound_of(frame, {"id": "a", "source": "a"}, {"id": "b", "source": "b", "operator": "hard-light"})
        self.assertGreaterEqual(bound[0].min(), 2 * 2 * (0.5 * UNIT_HALF + SMALLEST_HALF))

    def test_a_soft_front_lets_through_as_much_more_as_its_alpha_is_off(self):
        alpha = np.full((2, 2), 0.5, np.float16)
        frame = MemoryFrame({"back": (plane(1000, np.float16), None), "front": (plane(0, np.float16), alpha)})
        over = {"id": "front", "source": "front", "operator": "over", "uses_alpha": True}
        soft = bound_of(frame, {"id": "back", "source": "back"}, over)
        # 1000 is off by half a unit of its own, of which half shows, and by 0.5 +- its rounding of what shows of it.
        self.assertGreaterEqual(soft[0].min(), 1000 * UNIT_HALF * 0.5 + 1000 * 0.5 * UNIT_HALF)
        frame = MemoryFrame({"back": (plane(1000, np.float16), None), "front": (plane(0, np.float16), alpha * 2)})
        self.assertLess(bound_of(frame, {"id": "back", "source": "back"}, over)[0].max(), 0.01)  # opaque is exact
