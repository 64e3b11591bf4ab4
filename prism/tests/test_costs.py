"""What work costs is known before, and no work goes on for longer than somebody waits for it."""

import threading
import unittest

import numpy as np

from prism.bands import run_bands
from prism.combine.costs import seconds_of
from prism.combine.evaluate import evaluate
from prism.errors import BadDocument, Superseded, TooCostly
from prism.ledger.document import Ledger
from prism.limits import limited
from prism.tests.memory import MemoryFrame

SIZE = (1080, 1920)


def ledger(parts, *others):
    mattes = (*others, {"id": "m", "kind": "made", "parts": parts})
    return {"mattes": mattes, "rows": [{"id": "a", "source": "p", "matte": "m"}], "alpha": None}


def frame(height=64, width=96):
    return MemoryFrame({"p": (np.random.default_rng(0).random((3, height, width)).astype(np.float16), None)})


class Limits(unittest.TestCase):
    """Of all that is done inside, in every thread that takes part."""

    def setUp(self):
        blurs = [{"kind": "range", "source": "p", "high": 0.5 + n / 1000, "blur": 15} for n in range(200)]
        self.slow = Ledger.from_json(ledger(blurs))

    def test_time_is_up(self):
        with self.assertRaises(TooCostly) as raised, limited(0.02):
            evaluate(self.slow, frame(512, 512))
        self.assertIn("0.02 s", raised.exception.what)

    def test_nobody_waits_any_longer(self):
        asked = []
        with self.assertRaises(Superseded), limited(60, lambda: asked.append(1) or len(asked) > 5):
            evaluate(self.slow, frame(512, 512))
        self.assertLess(len(asked), 100)

    def test_bands_that_are_left_are_left(self):
        done, gone = [], threading.Event()

        def work(first, end):
            done.append(first)
            gone.set()

        with self.assertRaises(Superseded), limited(60, gone.is_set):
            run_bands(work, 1000, 1)
        self.assertLess(len(done), 100)

    def test_the_limit_ends_with_its_block(self):
        with limited(0.0):
            pass
        run_bands(lambda first, end: None, 8, 1)


class Costs(unittest.TestCase):
    def seconds(self, parts, **how):
        return seconds_of(Ledger.from_json(ledger(parts)), SIZE, **how)

    def test_what_costs_more_is_said_to(self):
        blur = {"kind": "range", "source": "p", "blur": 30}
        plain = self.seconds([{"kind": "range", "source": "p"}])
        line = {"points": [[0, 0], [1900, 1000]] * 100, "size": 50}
        dear = (
            [blur] * 200,
            [{"kind": "range", "source": "p", "grow": 20}] * 30,
            [{"kind": "strokes", "strokes": [line] * 100}],
            [{"kind": "shape", "form": "smooth", "corners": [{"x": n, "y": n % 7, "soft": 9} for n in range(100)]}],
        )
        self.assertLess(plain, 0.2)
        for parts in dear:
            self.assertGreater(self.seconds(parts), 4)
            self.assertLess(self.seconds(parts, step=8), self.seconds(parts) / 2)
        self.assertEqual(self.seconds([blur | {"amount": 0}] * 200), self.seconds([]))

    def test_each_trim_costs_what_it_is(self):
        row = lambda **trims: seconds_of(Ledger.from_json({"rows": [{"id": "a", "source": "p", **trims}]}), SIZE)  # noqa: E731
        plain, bent = row(), row(contrast=1.2) - row()
        self.assertGreater(bent, 0)
        self.assertAlmostEqual(row(gamma=1.2) - plain, bent)
        self.assertAlmostEqual(row(gamma=1.2, contrast=0.8) - plain, 2 * bent)
        for light in ({"saturation": 0.5}, {"hue": 10}, {"offset": [0.1, 0, 0]}):
            self.assertTrue(0 < row(**light) - plain < bent, light)

    def test_it_does_not_grow_with_the_radius(self):
        """As the work itself does not: wide blurs and far growing are made on smaller planes."""
        for name in ("grow", "blur"):
            costs = [self.seconds([{"kind": "range", "source": "p", name: size}]) for size in (40, 400, 2000)]
            self.assertLessEqual(costs[2], 1.01 * costs[0])


class Chains(unittest.TestCase):
    """Mattes made of mattes."""

    def chain(self, count):
        """Each is made of the one before, twice."""
        first = {"id": "m0", "kind": "made", "parts": [{"kind": "range", "source": "p", "high": 0.5}]}
        twice = [
            {
                "id": f"m{n}",
                "kind": "made",
                "parts": [{"kind": "matte", "of": f"m{n - 1}", "how": how} for how in ("add", "intersect")],
            }
            for n in range(1, count)
        ]
        return ledger([{"kind": "matte", "of": f"m{count - 1}"}], first, *twice)

    def test_what_is_accepted_is_computed(self):
        """A doubling at each of 48 steps would never end."""
        made = Ledger.from_json(self.chain(49))
        plain = Ledger.from_json(ledger([{"kind": "range", "source": "p", "high": 0.5}]))
        np.testing.assert_array_equal(evaluate(made, frame()).rgba, evaluate(plain, frame()).rgba)

    def test_deeper_ones_are_refused_in_words(self):
        with self.assertRaises(BadDocument) as raised:
            Ledger.from_json(self.chain(400))
        self.assertIn("more than 50 times over", raised.exception.what)
