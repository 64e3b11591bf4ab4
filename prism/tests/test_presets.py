"""Presets: chains of bases, what differs, and a library that cannot lose what others build on."""

import unittest

from demo.conservatory import build_scene
from prism.errors import BadArgument, BadDocument
from prism.plan.checks import check
from prism.plan.fields import with_fields
from prism.plan.plan import Plan, Quality
from prism.plan.presets import (
    SHIPPED,
    Preset,
    added,
    apply,
    captured,
    differences,
    find,
    moved_on,
    removed,
    renamed,
    require_applied,
    resolve,
)
from prism.tests.plans import EVERYTHING, plan_of
from standin.facts import facts_of

LIBRARY = {
    "base": Preset(name="base", settings={"passes": ["beauty"], "quality.samples": 4}),
    "more": Preset(name="more", base="base", settings={"passes": ["beauty", "depth"]}),
    "most": Preset(name="most", base="more", settings={"packing.rule": "each-pass"}),
}


class Applying(unittest.TestCase):
    def test_a_preset_holds_only_what_differs(self):
        expected = {"passes": ["beauty", "depth"], "quality.samples": 4, "packing.rule": "each-pass"}
        self.assertEqual(resolve("most", LIBRARY), expected)

    def test_applied_changed_and_put_back(self):
        """Single fields are told apart: other settings of the same section stay as they are."""
        plan = apply(plan_of(quality=Quality(denoise=True)), "most", LIBRARY)
        self.assertEqual((plan.passes, plan.quality.samples, plan.quality.denoise), (("beauty", "depth"), 4, True))
        self.assertEqual((plan.names, differences(plan)), (EVERYTHING, []))
        changed = plan.replace(passes=("beauty",), number=7, quality=Quality(samples=9))
        self.assertEqual(
            [(path.field, path.plan, path.preset) for path in differences(changed)],
            [("passes", ["beauty"], ["beauty", "depth"]), ("quality.samples", 9, 4)],
        )
        back = Plan.from_json(with_fields(changed.as_json(), plan.applied.settings))
        self.assertEqual((differences(back), back.number), ([], 7))

    def test_a_later_change_of_the_preset_leaves_the_plan_and_shows(self):
        plan = apply(plan_of(), "most", LIBRARY)
        later = added(LIBRARY["base"].replace(settings={"passes": [], "quality.samples": 81}), LIBRARY)
        self.assertEqual(plan.quality.samples, 4)
        self.assertFalse(moved_on(plan.applied, LIBRARY))
        self.assertTrue(moved_on(plan.applied, later))
        self.assertTrue(moved_on(plan.applied, {}))

    def test_plans_of_old_still_compare(self):
        """Version 1 nested the settings of presets, and samples were counted by the side of a square."""
        old = {"name": "base", "settings": {"passes": ["beauty"], "quality": {"samples_per_side": 2}}}
        plan = Plan.from_json(plan_of().as_json() | {"applied": old})
        self.assertFalse(moved_on(plan.applied, LIBRARY))
        self.assertEqual([path.field for path in differences(plan)], ["passes", "quality.samples"])

    def test_a_preset_noted_wrongly_is_refused_and_locks_nothing(self):
        plan = apply(plan_of(), "most", LIBRARY)
        for settings in (
            {"passes": [None]},
            {"quality.samples": "many"},
            {"shot": {}},
            {"": 1},
            {"quality": 5},
            {"names": []},
        ):
            noted = plan.replace(applied={"name": "most", "settings": settings})
            with self.subTest(settings), self.assertRaisesRegex(BadDocument, "applied.settings"):
                require_applied(noted)
            self.assertEqual(differences(noted), [])

    def test_shipped_presets_make_sound_plans(self):
        """On the demo scene, none leaves more than a gap in the sum that its purpose explains."""
        facts = facts_of(build_scene())
        for name in SHIPPED:
            with self.subTest(name):
                codes = {finding.code for finding in check(apply(plan_of(), name, SHIPPED), facts)}
                self.assertLessEqual(codes, {"rebuild.incomplete"} if name == "surface study" else set())


class Keeping(unittest.TestCase):
    def test_captured_from_a_plan(self):
        """With a base only what differs is stored; without one everything, so that applying it gives the same again."""
        plan = apply(plan_of(), "most", LIBRARY).replace(quality=Quality(samples=36))
        small = captured(plan, "mine", LIBRARY, base="most")
        self.assertEqual(small.settings, {"quality.samples": 36, "names": EVERYTHING})
        for preset in (small, captured(plan, "mine", LIBRARY)):
            again = apply(plan_of(names="a_v{version}.{frame:04}.exr"), "mine", added(preset, LIBRARY))
            for field in ("passes", "quality", "packing", "names"):
                self.assertEqual(getattr(again, field), getattr(plan, field))

    def test_renamed_and_those_that_build_on_it_follow(self):
        library = renamed("base", "ground", LIBRARY)
        self.assertEqual((library["more"].base, "base" in library), ("ground", False))
        self.assertEqual(resolve("most", library), resolve("most", LIBRARY))
        self.assertEqual(find("base", library).name, "ground")  # what a plan of before says
        self.assertFalse(moved_on(apply(plan_of(), "base", LIBRARY).applied, library))
        with self.assertRaisesRegex(BadArgument, "more already"):
            renamed("base", "more", LIBRARY)

    def test_deleting_is_guarded(self):
        with self.assertRaisesRegex(BadArgument, "more builds on it"):
            removed("base", LIBRARY)
        self.assertEqual(list(removed("most", LIBRARY)), ["base", "more"])

    def test_bad_presets(self):
        circle = {"a": Preset(name="a", base="b"), "b": Preset(name="b", base="a")}
        with self.assertRaisesRegex(BadDocument, "in a circle"):
            resolve("a", circle)
        with self.assertRaisesRegex(BadDocument, "in a circle"):
            added(LIBRARY["base"].replace(base="most"), LIBRARY)
        with self.assertRaisesRegex(BadArgument, "no preset lost"):
            added(Preset(name="a", base="lost"), LIBRARY)
        for settings, text in (
            ({"shot": {}}, "cannot set shot"),
            ({"quality.speed": 1}, "cannot set quality.speed"),
            ({"quality.samples": 0}, "quality.samples"),
            ({"passes": ["glow"]}, "unknown pass glow"),
        ):
            with self.subTest(text), self.assertRaisesRegex(BadDocument, text):
                Preset.from_json({"name": "a", "settings": settings})
