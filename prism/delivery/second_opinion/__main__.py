"""`python -m second_opinion FRAME`: the picture of a parcel's ledger, from the passes in it."""

import json
import sys

import numpy as np

from . import exr, mattes, rows

CANNOT = ("deep", "depth", "card")  # their samples are not in a parcel's flat passes
KNOWN = ("pass", "group", "overlay", "background", "fog")
MATTES = ("alpha", "inverted", "made")


def main(frame):
    """Rebuild a frame of the parcel in the folder one is in."""
    ledger, table = loaded("ledger.json"), loaded("passes/sources.json")
    refuse(ledger)
    planes, _ = exr.read(f"passes/{frame:04}.exr")
    sources = {key: taken(planes, entry) for key, entry in table["sources"].items()}
    shape = next(iter(planes.values())).shape
    made = rows.picture(ledger, sources, frame, shape, manifest=table["names"]).astype(np.float32)
    np.save(f"rebuilt_{frame:04}.npy", made)
    print(f"rebuilt_{frame:04}.npy: R G B A, {shape[1]} x {shape[0]}, premultiplied, scene-linear")
    if table["picture"] is not None:
        there = np.stack([planes[f"{table['picture']}.{name}"] for name in "RGBA"]).astype(np.float64)
        apart = np.abs(made - there) / np.maximum(1, np.abs(there))
        print(f"from the picture in the parcel it is at most {apart.max():.3g} apart (half rounds by 0.0005)")


def loaded(name):
    """A JSON document of the parcel."""
    with open(name, encoding="utf-8") as file:
        return json.load(file)


def taken(planes, entry):
    """Colour (3, H, W) and alpha (H, W) or None of one source."""
    colour = [planes[f"{entry['layer']}.{name}"] for name in entry["channels"]]
    alpha = planes[f"{entry['layer']}.A"] if entry["alpha"] else None
    return np.stack(colour * 3 if len(colour) == 1 else colour), alpha


def refuse(ledger):
    """Says which rows cannot be done from flat passes of the picture's own size."""
    for row in rows.all_rows(ledger.get("rows", [])):
        kind = row.get("kind", "pass")
        if row.get("on", True) and (kind in CANNOT or (kind == "background" and row.get("fill") == "picture")):
            sys.exit(f"Row {row['id']} ({kind}) asks for pictures that are not among the flat passes of a parcel.")
        if kind not in (*KNOWN, *CANNOT):
            sys.exit(f"Row {row['id']} is of the kind {kind}, which this script does not know: it would leave it out.")
    for matte in ledger.get("mattes", []):
        kinds = {part["kind"] for part in matte.get("parts", [])}
        if matte["kind"] not in MATTES or not kinds <= set(mattes.KINDS):
            strange = ", ".join(sorted(kinds - set(mattes.KINDS))) or matte["kind"]
            sys.exit(f"Matte {matte['id']} is of a kind that this script does not know: {strange}.")


if __name__ == "__main__":
    main(int(sys.argv[1]))
