"""What a step changes of a picture: counted by hand on a few pixels."""

import unittest

import numpy as np

from prism.pixels.window import Window
from prism.viewing.changes import change_between, where_it_changes

WINDOW = Window(10, 20, 29, 33)  # seven and a half by five pixels of every fourth and third


def grey(value: int = 100) -> np.ndarray:
    return np.full((5, 8, 3), value, np.uint8)


class Changes(unittest.TestCase):
    def test_share_mean_and_the_largest_at_its_pixel(self):
        before, after = grey(), grey()
        after[1, 2] = (100, 90, 100)
        after[3, 7] = (103, 100, 100)
        found = change_between(before, after, WINDOW, step=3)
        self.assertEqual((found.share, found.largest, found.x, found.y), (2 / 40, -10, 16, 23))
        self.assertAlmostEqual(found.mean, (-10 * 0.7152 + 3 * 0.2126) / 40)  # luma of Rec. ITU-R BT.709
        self.assertEqual(found.in_words(), "5 % · mean -0.2 · most -10 at 16, 23")

    def test_a_place_never_lies_outside_of_the_window(self):
        after = grey()
        after[4, 7] = 255
        found = change_between(grey(), after, WINDOW, step=4)
        self.assertEqual((found.x, found.y), (WINDOW.x1 - 1, WINDOW.y1 - 1))

    def test_small_shares_and_means_are_said_as_such(self):
        before, after = np.zeros((2, 40, 80, 3), np.uint8)
        after[0, 0, 2] = 1
        found = change_between(before, after, Window(0, 0, 80, 40), step=1)
        self.assertEqual(found.in_words(), "under 1 % · mean +0.0 · most +1 at 0, 0")
        self.assertEqual(change_between(after, before, Window(0, 0, 80, 40), step=1).mean, -found.mean)
        self.assertIn("mean +0.0", change_between(after, before, Window(0, 0, 80, 40), step=1).in_words())
        self.assertEqual(change_between(after, after, WINDOW, step=1).in_words(), "changes nothing in this frame")

    def test_where_is_brighter_the_more_it_changes(self):
        after = grey()
        after[0, 0, 1] = 101
        after[0, 1, 2] = 64
        after[0, 2] = 200
        shown = where_it_changes(grey(), after)[0].sum(axis=-1, dtype=int)
        self.assertEqual((shown[3], shown[2]), (0, 3 * 255))
        self.assertLess(0, shown[0])
        self.assertLess(shown[0], shown[1])
        self.assertLess(shown[1], shown[2])
        self.assertFalse(where_it_changes(grey(), grey()).any())
