"""The finish of a ledger at one frame, and a finish laid on a ledger."""

from __future__ import annotations

from dataclasses import dataclass, replace

from prism.finish.base import FinishStep
from prism.finish.context import Context
from prism.finish.display import of_domain, on_display_values
from prism.finish.document import Finish
from prism.finish.evaluate import finished
from prism.finish.steps import active
from prism.ledger.copying import free
from prism.ledger.document import Ledger
from prism.ledger.matching import matched
from prism.limits import Stale, never
from prism.mattes.document import renamed
from prism.mattes.plan import plans
from prism.pixels.picture import Picture
from prism.sources.pixels import Frame


@dataclass(frozen=True, slots=True)
class Finishing:
    """The finish of a ledger at one frame."""

    steps: tuple[FinishStep, ...]
    context: Context

    @classmethod
    def of(cls, ledger: Ledger, sources: Frame) -> Finishing:
        """steps: those that change something."""
        mattes = plans(ledger.mattes, sources.number, ledger.space)
        return cls(active(ledger.finish, sources.number), Context(sources.number, sources, mattes))

    @property
    def in_light(self) -> tuple[FinishStep, ...]:
        """The steps that work on light."""
        return of_domain(self.steps, "light")

    @property
    def on_display(self) -> tuple[FinishStep, ...]:
        """The steps that work on display values."""
        return of_domain(self.steps, "display")

    def on(self, sources: Frame) -> Finishing:
        """The same for a part of the frame, or a larger one."""
        return replace(self, context=replace(self.context, sources=sources))

    def light(self, picture: Picture, is_stale: Stale = never) -> Picture:
        """After the steps that work on light."""
        return finished(picture, self.in_light, self.context, is_stale=is_stale)

    def display(self, values: Picture) -> Picture:
        """Display values after the steps that work on those."""
        return on_display_values(values, self.steps, self.context)


@dataclass(frozen=True, slots=True)
class AppliedFinish:
    """ledger: with the steps and the mattes they name. missing: (step or matte, the pass it asked for); steps that ask
    for what is not there are off."""

    ledger: Ledger
    missing: tuple[tuple[str, str], ...]


def with_finish(ledger: Ledger, finish: Finish, frame: Frame, *, keep: bool = False) -> AppliedFinish:
    """A ledger with another finish in place of its own, or behind the steps it has.

    keep: those stay. Passes are found as `matched` has it, and mattes whose ids are taken get a number.
    """
    found = {name: key for name, key in matched(_bare(finish), frame).items() if key}
    finish = finish.with_sources(found)
    missing = [
        (each.id, source) for each in (*finish.steps, *finish.mattes) for source in each.sources if source not in frame
    ]
    taken = {matte.id for matte in ledger.mattes}
    names: dict[str, str] = {}
    for matte in finish.mattes:
        names[matte.id] = matte.id if matte in ledger.mattes else free(matte.id, taken | set(names.values()))
    brought = tuple(renamed(matte, names) for matte in finish.mattes if matte not in ledger.mattes)
    blind = {key for key, _ in missing}
    ids = {step.id for step in ledger.finish} if keep else set()
    steps = []
    for step in finish.steps:
        fresh = free(step.id, ids)
        ids.add(fresh)
        enabled = step.enabled and step.id not in blind and blind.isdisjoint(step.mattes)
        steps.append(step.with_mattes(names).replace(id=fresh, enabled=enabled))
    own = ledger.finish if keep else ()
    made = ledger.replace(mattes=(*ledger.mattes, *brought), finish=(*own, *steps))
    return AppliedFinish(made, tuple(missing))


def _bare(finish: Finish) -> Ledger:
    """A ledger of nothing but the finish: what its passes are called is found as for rows."""
    return Ledger(name=finish.name, alpha=None, mattes=finish.mattes, finish=finish.steps)
