"""`python -m prism scene`: whether a scene or a sheet of facts is sound, and what is in it."""

from __future__ import annotations

import argparse
import json
from pathlib import Path

from prism.commands import Answer
from prism.documents import Value
from prism.errors import BadArgument
from prism.json_text import load_json
from prism.scenes.facts import SceneFacts
from prism.scenes.sheet import FactsSheet


def scene(args: argparse.Namespace) -> Answer:
    """Check a scene or a sheet of facts, or print a schema. Raises BadArgument, BadDocument or UnreadableFile."""
    from standin.scene import Scene  # here: most verbs need no scene

    if args.schema:
        documents: dict[str, type[Value]] = {"scene": Scene, "facts": FactsSheet}
        schema = documents[args.schema].model_json_schema()
        return schema, json.dumps(schema, indent=1)
    if args.file is None:
        raise BadArgument("Nothing to do.", where="scene", advice="Name a scene or a sheet of facts.")
    facts = load_facts(args.file)
    lights = {light.name: light.label or "rest" for light in facts.lights}
    answer = {
        "name": facts.name,
        "fingerprint": facts.fingerprint,
        "groups": {name: sorted(group.gives) for name, group in facts.groups.items()},
        "lights": lights,
        "cameras": {name: {"working": camera.working} for name, camera in facts.cameras.items()},
    }
    aside = " (only for working, not rendered)"
    cameras = [name + aside * camera.working for name, camera in facts.cameras.items()]
    lines = [
        f"{facts.name}, {facts.fingerprint}",
        f"  groups   {', '.join(facts.groups) or 'none'}",
        f"  lights   {', '.join(f'{name} ({label})' for name, label in lights.items()) or 'none'}",
        f"  cameras  {', '.join(cameras)}",
    ]
    return answer, "\n".join(lines)


def load_facts(path: Path) -> SceneFacts:
    """From a scene or a sheet of facts, told apart by its format. Raises UnreadableFile or BadDocument."""
    from standin.facts import facts_of
    from standin.scene import Scene

    data = load_json(path)
    if isinstance(data, dict) and data.get("format") == FactsSheet.model_fields["format"].default:
        return FactsSheet.from_json(data, where=str(path)).facts()
    return facts_of(Scene.from_json(data, where=str(path)))
