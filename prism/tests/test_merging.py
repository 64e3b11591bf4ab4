"""Two changes of one ledger joined, without a database: what only one changed is taken, what both did is named."""

import unittest

from prism.ledger.document import Ledger
from prism.ledger.merging import merge

ROWS = [{"id": name, "source": name} for name in "abc"]
GROUP = {"id": "g", "kind": "group", "rows": ROWS[:2]}


def ledger(*rows, **more):
    return Ledger.from_json({"alpha": None, "rows": list(rows or ROWS), **more})


def changed(row, **fields):
    return {**row, **fields}


class Merging(unittest.TestCase):
    def merged(self, base, mine, theirs):
        found = merge(base, mine, theirs)
        self.assertEqual(found.meeting, ())
        return found.ledger

    def meeting(self, base, mine, theirs):
        found = merge(base, mine, theirs)
        self.assertIsNone(found.ledger)
        return list(found.meeting)

    def test_what_one_of_them_changed_is_taken_from_either(self):
        """Each way round: another field of the same row, another row, the finish, and nothing."""
        base = ledger()
        bright = ledger(changed(ROWS[0], exposure=1.0), *ROWS[1:])
        steps = [{"id": "1", "kind": "vignette"}]
        for other in (
            ledger(changed(ROWS[0], saturation=0.5), *ROWS[1:]),
            ledger(ROWS[0], changed(ROWS[1], exposure=2.0), ROWS[2]),
            ledger(finish=steps),
            base,
        ):
            one, two = self.merged(base, bright, other), self.merged(base, other, bright)
            self.assertEqual(one, two)
            self.assertEqual(one.row("a").exposure, 1.0)
            rest = other.row("a").replace(exposure=1.0)
            self.assertEqual((one.rows, one.finish), ((rest, *other.rows[1:]), other.finish))

    def test_the_same_change_made_twice_is_no_conflict(self):
        bright = ledger(changed(ROWS[0], exposure=1.0), *ROWS[1:])
        self.assertEqual(self.merged(ledger(), bright, bright), bright)

    def test_what_both_changed_is_named(self):
        base = ledger()
        one, two = (ledger(changed(ROWS[0], exposure=value), *ROWS[1:]) for value in (1.0, 2.0))
        self.assertEqual(self.meeting(base, one, two), ["a exposure"])
        self.assertEqual(self.meeting(base, one, ledger(*ROWS[1:])), ["a removed by one and changed by the other"])
        self.assertEqual(self.meeting(base, ledger(*ROWS[1:]), one), ["a removed by one and changed by the other"])
        new = {"id": "d", "source": "d"}
        self.assertEqual(
            self.meeting(base, ledger(*ROWS, new), ledger(*ROWS, changed(new, exposure=1.0))), ["d added twice"]
        )
        backwards, turned = ledger(*ROWS[::-1]), ledger(ROWS[1], ROWS[0], ROWS[2])
        self.assertEqual(self.meeting(base, backwards, turned), ["the order of rows"])

    def test_what_one_removed_stays_removed(self):
        self.assertEqual(self.merged(ledger(), ledger(*ROWS[1:]), ledger()), ledger(*ROWS[1:]))
        self.assertEqual(self.merged(ledger(), ledger(), ledger(*ROWS[1:])), ledger(*ROWS[1:]))

    def test_what_both_added_alike_is_there_once(self):
        new = ledger(*ROWS, {"id": "d", "source": "d"})
        self.assertEqual(self.merged(ledger(), new, new), new)

    def test_rows_are_where_they_were_put_and_new_ones_behind_what_they_followed(self):
        base = ledger(GROUP, ROWS[2])
        into = ledger({**GROUP, "rows": ROWS})
        first = {"id": "d", "source": "d"}
        for added, due in (
            (ledger({**GROUP, "rows": [ROWS[0], first, ROWS[1]]}, ROWS[2]), ["g", "a", "d", "b", "c"]),
            (ledger(first, GROUP, ROWS[2]), ["d", "g", "a", "b", "c"]),
        ):
            for pair in ((into, added), (added, into)):
                self.assertEqual([row.id for row in self.merged(base, *pair).walk()], due)

    def test_a_row_on_a_matte_that_the_other_removed(self):
        matte = {"id": "m", "kind": "made", "parts": [{"kind": "range", "source": "a"}]}
        base = ledger(mattes=[matte])
        said = self.meeting(base, ledger(changed(ROWS[0], matte="m"), *ROWS[1:], mattes=[matte]), ledger())
        self.assertEqual(len(said), 1)
        self.assertIn("m", said[0])
