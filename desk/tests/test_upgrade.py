"""Records from before: documents of ledgers and folders of elements as earlier versions kept them."""

from importlib import import_module

from django.core.management import call_command
from django.db import connection
from django.db.migrations.executor import MigrationExecutor
from django.test import TransactionTestCase

from desk.elements.models import Element, Place
from desk.elements.services import document_of
from desk.handoff.models import Delivery
from desk.tests.world import World, WorldCase
from prism.ledger.document import Ledger

BEFORE = {
    "format": "eager-prism.ledger", "version": 1, "name": "dusk", "beauty": "beauty_denoised", "alpha": None,
    "rows": [{"id": "e", "source": "emission", "operator": "add", "on": True, "amount": 0.5, "exposure": 0.0,
              "tint": [1.0, 1.0, 1.0], "in_balance": True}],
}  # fmt: skip


class Documents(WorldCase):
    def test_sources_of_an_old_ledger_are_named_by_its_element(self):
        upgraded = import_module("desk.rebuild.migrations.0003_sources_by_element").upgraded
        now = upgraded(BEFORE, "render v001")
        ledger = Ledger.from_json(now)
        self.assertEqual((ledger.beauty, ledger.alpha), ("render v001/beauty_denoised", None))
        self.assertEqual((ledger.rows[0].source, ledger.rows[0].amount), ("render v001/emission", 0.5))
        self.assertEqual(upgraded(now, "x"), now)  # once is enough
        self.assertEqual(Ledger.from_json(BEFORE).rows[0].source, "emission")  # a file of before opens, bare

    def test_an_element_without_a_document_gets_it_at_the_next_start(self):
        self.render(1001)
        place = Place.objects.create(shot=self.shot, folder=str(self.folder))
        before = Element.objects.create(shot=self.shot, place=place, name="old name")
        Place.objects.create(shot=self.shot, folder=str(self.root / "TST" / "gone"))
        call_command("prepare", "--empty", verbosity=0)
        before.refresh_from_db()
        self.assertEqual((before.name, document_of(before).frames), ("old name", (1001,)))
        self.assertEqual(Element.objects.count(), 1)


class Migration(World, TransactionTestCase):
    def test_folders_become_places(self):
        executor = MigrationExecutor(connection)
        executor.migrate([("shots", "0003_settings_in_the_plan"), ("rebuild", "0002_element_may_go"), ("intake", None)])
        self.addCleanup(lambda: MigrationExecutor(connection).migrate(executor.loader.graph.leaf_nodes()))
        old = executor.loader.project_state(
            [("shots", "0003_settings_in_the_plan"), ("rebuild", "0002_element_may_go")]
        ).apps
        production = old.get_model("shots", "Production").objects.create(code="OLD", title="x")
        shot = old.get_model("shots", "Shot").objects.create(
            production=production, code="OLD_010", folder="OLD/OLD_010"
        )
        element = old.get_model("shots", "Element").objects.create(shot=shot, name="a/b", folder="/storage/OLD/a")
        ledger = old.get_model("rebuild", "Ledger").objects.create(
            shot=shot, element=element, name="dusk", document=BEFORE
        )
        executor = MigrationExecutor(connection)
        executor.migrate([("shots", "0004_elements_of_many_sequences"), ("rebuild", "0003_sources_by_element")])
        new = executor.loader.project_state(
            [("shots", "0004_elements_of_many_sequences"), ("rebuild", "0003_sources_by_element")]
        ).apps
        found = new.get_model("shots", "Element").objects.get(pk=element.pk)
        self.assertEqual((found.name, found.place.folder), ("a_b", "/storage/OLD/a"))
        document = new.get_model("rebuild", "Ledger").objects.get(pk=ledger.pk).document
        self.assertEqual(document["rows"][0]["source"], "a_b/emission")

    def test_deliveries_that_shared_a_job_become_the_items_of_one(self):
        """Their files keep the names they have."""
        executor = MigrationExecutor(connection)
        others = [node for node in executor.loader.graph.leaf_nodes() if node[0] != "handoff"]
        before = [*others, ("handoff", "0005_deliveries_share_a_job")]
        executor.migrate(before)
        self.addCleanup(lambda: MigrationExecutor(connection).migrate(executor.loader.graph.leaf_nodes()))
        old = executor.loader.project_state(before).apps
        made = lambda app, model, **fields: old.get_model(app, model).objects.create(**fields)  # noqa: E731
        production = made("shots", "Production", code="OLD", title="x")
        shot = made("shots", "Shot", production=production, code="OLD_010", folder="OLD/OLD_010")
        ledger = made("rebuild", "Ledger", shot=shot, name="dusk", document=BEFORE)
        version = made("rebuild", "LedgerVersion", ledger=ledger, number=4, document=BEFORE)
        job = made("jobs", "Job", kind="hand-off", production=production, shot=shot, title="x")
        view = {"space": "lin_rec709", "view": "film"}
        usual = {"pixel": "float", "compression": "piz", "transform": view, "bits": 16, "keep_alpha": False}
        shared = {"shot": shot, "job": job, "version": version}
        exr, png = (
            made("handoff", "Delivery", **shared, suffix=suffix, take=take, output=usual | {"matte": matte})
            for suffix, take, matte in ((".exr", 1, "rim / all"), (".png", 2, ""))
        )
        said = {str(each.pk): {"bytes": each.pk, "remarks": ["r"]} for each in (exr, png)}
        made("jobs", "Task", job=job, number=1001, title="x", state="done", result={"written": said})
        MigrationExecutor(connection).migrate(executor.loader.graph.leaf_nodes())
        delivery = Delivery.objects.get()
        matte, picture = delivery.parsed.items
        self.assertEqual((matte.subject, picture.subject, matte.encoding.pixel), ("mattes", "finished", "float"))
        self.assertEqual((picture.encoding.bits, picture.encoding.view), (16, "film"))
        self.assertEqual(
            [file["file"] for file in delivery.written(delivery.frames.get())],
            ["OLD_010_dusk_v004_matte_rim_all.1001.exr", "OLD_010_dusk_v004_t2.1001.png"],
        )
        self.assertEqual((delivery.folder, delivery.ordered, delivery.state), ("delivery/dusk_v004", "1001", "done"))
