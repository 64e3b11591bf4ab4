"""One frame of a ledger, each thing of it worked out once, whatever is written of it."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from prism.balance.balance import balance
from prism.colour.developing import BLACK, Colour, Developed
from prism.colour.view import ViewTransform
from prism.combine.evaluate import Evaluator, evaluate, identity
from prism.combine.program import compile_ledger
from prism.errors import BadArgument, PrismError
from prism.finish.display import developed
from prism.finish.evaluate import Finisher
from prism.finish.steps import active
from prism.ledger.document import Ledger
from prism.ledger.finishing import Finishing
from prism.limits import Stale, never
from prism.mattes.plan import plans
from prism.mattes.planes import matte_plane
from prism.pixels.picture import Picture
from prism.sources.pixels import Frame

MOST_NAMED = 40  # in a message


@dataclass(frozen=True, slots=True)
class Comparison:
    """Whether the untrimmed rows come to what was rendered. balanced: None if they could not be compared, `why` says
    it, or if there is nothing they should land on."""

    balanced: bool | None
    wrong: int = 0  # pixels
    largest: float = 0.0  # difference of the colour
    why: str = ""

    def remarks(self, number: int) -> list[str]:
        """What an artist has to know of it; nothing if all is well."""
        if self.why:
            return [f"Frame {number} could not be compared with what was rendered: {self.why}"]
        if self.balanced is False:
            return [
                f"Frame {number} is not balanced: the untrimmed rows differ from what was rendered in "
                f"{self.wrong} pixels."
            ]
        return []


class LedgerFrame:
    """A frame of a ledger that is handed out. Its properties raise what evaluation raises."""

    def __init__(self, ledger: Ledger, sources: Frame, *, is_stale: Stale = never) -> None:
        self.ledger = ledger
        self.sources = sources
        self.is_stale = is_stale

    @property
    def number(self) -> int:
        """The number of the frame."""
        return self.sources.number

    def read(self) -> None:
        """Decode all that a picture needs in one go."""
        self.sources.read(wanted_of(self.ledger, self.number))

    @cached_property
    def rebuilt(self) -> Picture:
        """The sum of the rows, without the finish."""
        self.read()
        return evaluate(self.ledger, self.sources, is_stale=self.is_stale)

    @cached_property
    def finish(self) -> Finishing:
        """The finish at this frame."""
        return Finishing.of(self.ledger, self.sources)

    @cached_property
    def light(self) -> Picture:
        """After the steps of the finish that work on light."""
        return self.finish.light(self.rebuilt, self.is_stale)

    @cached_property
    def verdict(self) -> Comparison:
        """Whether the untrimmed sum is what was rendered, where there is something it should land on."""
        ledger, sources = self.ledger, self.sources
        if not all(key in sources for key in ledger.rendered.sources) or not any(row.in_balance for row in ledger.rows):
            return Comparison(None)
        try:
            found = balance(ledger, sources, causes=0, made=self.rebuilt)
        except PrismError as error:  # of a pass that only a row asks for which is off
            return Comparison(None, why=error.what)
        return Comparison(found.balanced, found.wrong, found.difference.largest)

    def shown(
        self, transform: ViewTransform, *, finished: bool = True, keep_alpha: bool = False, ground: Colour = BLACK
    ) -> tuple[Picture, Developed]:
        """Display values through a view and, if `finished`, all steps of the finish; and what developing them cost."""
        picture, report = developed(
            self.light if finished else self.rebuilt, transform, keep_alpha=keep_alpha, ground=ground
        )
        return (self.finish.display(picture) if finished else picture), report

    def developed(
        self, transform: ViewTransform, *, finished: bool = True, keep_alpha: bool = False, ground: Colour = BLACK
    ) -> Developed:
        """The same as `shown`, with the values and the alpha of the display window."""
        picture, report = self.shown(transform, finished=finished, keep_alpha=keep_alpha, ground=ground)
        alpha = picture.rgba[3] if keep_alpha else None
        return replace(report, values=np.moveaxis(picture.rgba[:3], 0, -1), alpha=alpha)

    def matte(self, name: str) -> NDArray[np.float32]:
        """(H, W) of the frame's window. Raises BadArgument for one there is not."""
        ready = plans(self.ledger.mattes, self.number, self.ledger.space)
        if name not in ready:
            raise BadArgument(f"There is no matte {name}.", advice=f"The ledger has {', '.join(ready) or 'none'}.")
        return matte_plane(ready[name], self.sources)


class CachedFrame(LedgerFrame):
    """The same, as far as it is cached already for whoever looks at it. Pictures are read-only."""

    def __init__(self, ledger: Ledger, sources: Frame, evaluator: Evaluator, finisher: Finisher) -> None:
        super().__init__(ledger, sources)
        self._evaluator = evaluator
        self._finisher = finisher
        self._bare = ledger.replace(finish=())

    @cached_property
    def rebuilt(self) -> Picture:
        """The sum of the rows, without the finish."""
        return self._evaluator.unchanged(self._bare, self.sources, is_stale=self.is_stale)

    @cached_property
    def light(self) -> Picture:
        """After the steps of the finish that work on light."""
        steps, of = self.finish.in_light, identity(compile_ledger(self._bare, self.number), self.sources)
        return self._finisher.finished(
            self.rebuilt, steps, self.finish.context, of=of, settled=len(steps), is_stale=self.is_stale
        )


def wanted_of(ledger: Ledger, number: int) -> list[str]:
    """All that a picture of a frame asks for, and what it is compared with. To be read in one go."""
    programs = (compile_ledger(each, number) for each in (ledger, ledger.untrimmed(), ledger.rendered))
    finish = (source for step in active(ledger.finish, number) for source in step.sources)
    return list(dict.fromkeys((*(source for program in programs for source in program.sources), *finish)))


def chosen(names: Sequence[str], there: Collection[str], what: str) -> list[str]:
    """The names that are wanted of those there are; `*` stands for all, and a pass may be named without its element.
    Raises BadArgument for one there is not."""
    bare = {name.rpartition("/")[2]: name for name in reversed([*there])}
    found = {name: name if name in there else bare.get(name) for name in names if name != "*"}
    missing = next((name for name, full in found.items() if full is None), None)
    if missing is not None:
        some = ", ".join([*bare][::-1][:MOST_NAMED]) or "none"
        raise BadArgument(f"There is no {what} {missing}.", advice=f"There are {some}.")
    return [*there] if "*" in names else list(dict.fromkeys(full for full in found.values() if full))
