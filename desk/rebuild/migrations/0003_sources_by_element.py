"""Sources of stored ledgers are named `element/pass`, by the element that each was laid on."""

from django.db import migrations


def name_elements(apps, schema_editor):
    for ledger in apps.get_model("rebuild", "Ledger").objects.select_related("element"):
        name = ledger.element.name if ledger.element else ""
        if not name:
            continue
        ledger.document = upgraded(ledger.document, name)
        ledger.save(update_fields=["document"])
        for version in ledger.versions.all():
            version.document = upgraded(version.document, name)
            version.save(update_fields=["document"])


def upgraded(document, element):
    """A document of version 1, whose sources are bare, as one of version 2."""
    if document.get("version") != 1:
        return document
    rows = [row | {"source": f"{element}/{row['source']}"} for row in document["rows"]]
    alpha = document.get("alpha", "beauty")
    return document | {
        "version": 2,
        "beauty": f"{element}/{document.get('beauty', 'beauty')}",
        "alpha": f"{element}/{alpha}" if alpha else None,
        "rows": rows,
    }


class Migration(migrations.Migration):
    dependencies = [("rebuild", "0002_element_may_go"), ("shots", "0004_elements_of_many_sequences")]
    operations = [migrations.RunPython(name_elements, migrations.RunPython.noop)]
