"""Findings have one form wherever they come from: what was kind, text and action is code, what and repair."""

from django.db import migrations

REPAIRS = {"scale": {"fit": "scale"}, "linear": {"curve": "srgb"}, "rule": {"rule": ""}, "ignore": {"rule": "ignore"}}


def in_one_form(apps, schema_editor):
    for judgement in apps.get_model("intake", "Judgement").objects.iterator():
        judgement.findings = [_renamed(finding) for finding in judgement.findings]
        judgement.save(update_fields=["findings"])


def _renamed(finding):
    if "code" in finding:
        return finding
    action = finding.pop("action", "")
    repair = REPAIRS.get(action, {"state": action} if action else {})
    names = {"kind": "code", "text": "what"}
    return {names.get(name, name): value for name, value in finding.items()} | {
        "where": "",
        "repair": repair,
        "share": 0.0,
    }


class Migration(migrations.Migration):
    dependencies = [("intake", "0002_element_moved")]
    operations = [migrations.RunPython(in_one_form, migrations.RunPython.noop)]
