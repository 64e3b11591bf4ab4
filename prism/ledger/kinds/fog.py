"""Fog, denser the further a pass measures."""

from __future__ import annotations

from collections.abc import Mapping
from types import MappingProxyType
from typing import Annotated, ClassVar, Literal

from prism.documents import SourceName
from prism.fields import RGB, Shown
from prism.keyed import Within
from prism.ledger.kinds.base import Label, LedgerRow, Light, Number
from prism.ledger.steps import Flat, Haze, Step

Measured = Annotated[Number, Within(-1e9, 1e9)]
CHANNELS = MappingProxyType(
    {"mist": 0, "depth": 0, "height": 1}
)  # a position's second is up, in a scene whose y goes up
_NOTES = MappingProxyType(
    {
        "depth": "Depth keeps one distance a pixel: soft edges and what is seen through glass fog all or nothing. "
        "Mist, where there is one, is filtered like the picture.",
        "height": "Height keeps one place a pixel, as depth does.",
    }
)


class FogRow(LedgerRow):
    """Fog of a colour, denser the further a pass measures. through: mist is that of the source, 0..1; depth and height
    take near and far in its own units (of a position, height is its second channel).

    mode: mix goes straight from near to far; transmittance thins the light as air does, near to 2 % at far. fills:
    whether fog lies where nothing covers, too.
    """

    label: ClassVar[Label] = Label(
        by="through", words={"mist": "fog, mist", "depth": "fog, depth", "height": "fog, height"}
    )
    channel_by: ClassVar[tuple[str, Mapping[str, int]]] = ("through", CHANNELS)

    kind: Literal["fog"] = "fog"
    operator: str = "copy"
    in_balance: bool = False
    source: SourceName
    through: Annotated[Literal["mist", "depth", "height"], Shown(title="through", notes=_NOTES)] = "mist"
    mode: Annotated[Literal["mix", "transmittance"], Shown(title="thins as")] = "mix"
    colour: Annotated[tuple[Light, Light, Light], Shown(title="colour", digits=3, parts=RGB)] = (0.5, 0.5, 0.5)
    near: Annotated[Measured, Shown(title="near", digits=3)] = 0.0
    far: Annotated[Measured, Shown(title="far", digits=3)] = 1.0
    falloff: Annotated[Number, Within(0.05, 20), Shown(title="falloff")] = 1.0
    fills: Annotated[bool, Shown(title="also where nothing covers")] = False

    def content(self, inner: tuple[Step, ...]) -> Flat:
        """Its colour."""
        return Flat(colour=self.colour, where_covered=not self.fills)

    def factors(self) -> tuple[Haze, ...]:
        """How much of it lies before what the source measures."""
        source, channel = self.source, CHANNELS[self.through]
        air = self.mode == "transmittance"
        return (Haze(source=source, channel=channel, near=self.near, far=self.far, falloff=self.falloff, air=air),)
