"""What the frames of a sequence say of each other, at both sides of what counts."""

import os
import unittest

import numpy as np

from prism.intake.over_time import FLASH, _is_flash
from prism.tests.test_findings import FRAMES, Found


class Flashes(unittest.TestCase):
    def test_from_where_on_a_frame_flashes(self):
        self.assertEqual(FLASH, 1.15)
        for mean, flashes in ((1.14, False), (1.16, True), (1 / 1.14, False), (1 / 1.16, True)):
            self.assertEqual(_is_flash(1, mean, 1), flashes, mean)
        for after, flashes in ((1.14, True), (1.16, False)):  # where it changes anyway, nothing stands out
            self.assertEqual(_is_flash(1, 2, after), flashes, after)


class OverTime(Found):
    def rendered(self, number, **times):
        """A frame with some passes brighter than they were."""
        own = {
            name: self.rgb((planes.astype(np.float32) * times.get(name, 1)).astype(np.float16))
            for name, planes in self.light(number).items()
        }
        total = sum(planes.astype(np.float32) for planes in self.light(number).values()) * times.get("beauty", 1)
        self.render(number, **own, beauty={**self.rgb(total.astype(np.float16)), "A": self.alpha.astype(np.float16)})

    def test_few_new_files_make_the_others_no_older(self):
        for number in FRAMES:
            time = 1.7e9 + number + (90000 if number == 1003 else 0)
            os.utime(self.path("beauty", number), (time, time))
        self.assertNotIn("older", self.kinds())

    def test_two_passes_that_change_together_are_no_jump(self):
        for number in (1003, 1004):
            self.rendered(number, emission=3, diffuse=3)
        self.assertNotIn("jump", self.kinds())

    def test_one_that_changes_most_while_others_change_too_is_no_jump(self):
        for number in (1003, 1004):
            self.rendered(number, emission=3, diffuse=1.3, specular=1.3, beauty=1.3)
        self.assertNotIn("jump", self.kinds())

    def test_equal_frames_across_a_gap_are_not_neighbours(self):
        for name in ("beauty", "diffuse", "specular", "emission"):
            self.path(name, 1003).write_bytes(self.path(name, 1001).read_bytes())
        for path in self.folder.glob("*.1002.exr"):
            path.unlink()
        self.assertNotIn("identical", self.kinds())
