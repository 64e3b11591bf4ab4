"""The readable page of a parcel: HTML without scripts, styles in the page, that any browser opens from a folder."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from html import escape
from typing import Any

from prism.delivery.parcel.tables import Table

_STYLE = """
body { font: 15px/1.5 sans-serif; max-width: 70rem; margin: 2rem auto; padding: 0 1.5rem; color: #222 }
h1 { font-size: 1.6rem } h2 { font-size: 1.15rem; margin-top: 2.2rem }
table { border-collapse: collapse; width: 100%; font-size: 13px } th { text-align: left; color: #555 }
th, td { border-bottom: 1px solid #ddd; padding: .25rem .6rem .25rem 0; vertical-align: top; overflow-wrap: anywhere }
code, pre { font: 13px monospace; background: #f3f3f3; padding: .1rem .3rem } pre { padding: .7rem; overflow: auto }
"""


def readme(record: Mapping[str, Any], tables: Sequence[Table], contents: Iterable[tuple[str, str]]) -> str:
    """contents: names in the parcel with what each is."""
    fields, frames = record["fields"], [frame["frame"] for frame in record["frames"]]
    title = f"{fields.get('shot', '')} {fields.get('ledger', '')} v{int(fields.get('version', 0)):03}"
    facts = [
        ("made", f"{record['made']}{' by ' + record['author'] if record['author'] else ''}"),
        ("frames", f"{len(frames)}, {min(frames)} to {max(frames)}" if frames else "none"),
        ("rate", f"{record['rate']:g} frames a second"),
        ("light", f"scene-linear, {record['colour']['space']}, premultiplied"),
        ("views", f"{record['colour']['configuration']}, for {record['colour']['display']}"),
        ("software", ", ".join(f"{name} {version}" for name, version in record["software"].items())),
    ]
    inside = Table("contents", "What is in it", ("name", "what it is"), tuple(contents))
    body = [
        f"<h1>{escape(title)}</h1>",
        _table(Table("facts", "", ("", ""), tuple(facts))),
        "<h2>To do the sum again</h2>",
        "<p>With nothing but Python 3 and NumPy, from this folder:</p>",
        f"<pre>python -m second_opinion {frames[0] if frames else 1001}</pre>",
        "<p>To see that nothing changed since: <code>sha256sum -c checksums.sha256</code>.</p>",
        *(f"<h2>{escape(table.title)}</h2>{_table(table)}" for table in (inside, *tables)),
    ]
    return (
        f'<!doctype html><html lang="en"><head><meta charset="utf-8"><title>{escape(title)}</title>'
        f"<style>{_STYLE}</style></head><body>{''.join(body)}</body></html>\n"
    )


def _table(table: Table) -> str:
    if not table.lines:
        return "<p>None.</p>"
    head = "".join(f"<th>{escape(name)}</th>" for name in table.head)
    lines = "".join(f"<tr>{''.join(f'<td>{escape(cell)}</td>' for cell in line)}</tr>" for line in table.lines)
    return f"<table><thead><tr>{head}</tr></thead><tbody>{lines}</tbody></table>"
