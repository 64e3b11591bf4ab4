"""The computation behind Eager Prism: pixels, files, colour, passes and their recombination.

Pure Python on arrays and small immutable values. Nothing here knows a web page, a database or a request;
`python -m prism` is its own command line. docs/python.md tells the main job with the names below, which are loaded when
they are first asked for.
"""

from importlib import import_module
from typing import TYPE_CHECKING, Any

__version__ = "0.1.0"

_HOMES = {
    "BadArgument": ("prism.errors", "BadArgument"),
    "Context": ("prism.finish.context", "Context"),
    "Finding": ("prism.judging.finding", "Finding"),
    "Finish": ("prism.finish.document", "Finish"),
    "Ledger": ("prism.ledger.document", "Ledger"),
    "LedgerFrame": ("prism.delivery.ledger_frame", "LedgerFrame"),
    "Picture": ("prism.pixels.picture", "Picture"),
    "Plan": ("prism.plan.plan", "Plan"),
    "PrismError": ("prism.errors", "PrismError"),
    "Samples": ("prism.deep.samples", "Samples"),
    "SceneFacts": ("prism.scenes.facts", "SceneFacts"),
    "check": ("prism.plan.checks", "check"),
    "compare": ("prism.balance.balance", "balance"),
    "deliver": ("prism.delivery.deliver", "deliver"),
    "evaluate": ("prism.combine.evaluate", "evaluate"),
    "expand": ("prism.plan.expansion", "expand"),
    "find_sources": ("prism.sources.opening", "find_sources"),
    "finished": ("prism.finish.evaluate", "finished"),
    "first_ledger": ("prism.ledger.first", "first_ledger"),
    "flattened": ("prism.deep.operations", "flattened"),
    "held_out": ("prism.deep.operations", "held_out"),
    "merged": ("prism.deep.operations", "merged"),
    "read_samples": ("prism.deep.files", "read_samples"),
    "write_samples": ("prism.deep.files", "write_samples"),
}
"""What is promised to stay, with the module it lies in and its name there."""

__all__ = [
    "BadArgument",
    "Context",
    "Finding",
    "Finish",
    "Ledger",
    "LedgerFrame",
    "Picture",
    "Plan",
    "PrismError",
    "Samples",
    "SceneFacts",
    "__version__",
    "check",
    "compare",
    "deliver",
    "evaluate",
    "expand",
    "find_sources",
    "finished",
    "first_ledger",
    "flattened",
    "held_out",
    "merged",
    "read_samples",
    "write_samples",
]

if TYPE_CHECKING:
    from prism.balance.balance import balance as compare
    from prism.combine.evaluate import evaluate
    from prism.deep.files import read_samples, write_samples
    from prism.deep.operations import flattened, held_out, merged
    from prism.deep.samples import Samples
    from prism.delivery.deliver import deliver
    from prism.delivery.ledger_frame import LedgerFrame
    from prism.errors import BadArgument, PrismError
    from prism.finish.context import Context
    from prism.finish.document import Finish
    from prism.finish.evaluate import finished
    from prism.judging.finding import Finding
    from prism.ledger.document import Ledger
    from prism.ledger.first import first_ledger
    from prism.pixels.picture import Picture
    from prism.plan.checks import check
    from prism.plan.expansion import expand
    from prism.plan.plan import Plan
    from prism.scenes.facts import SceneFacts
    from prism.sources.opening import find_sources


def __getattr__(name: str) -> Any:
    if name not in _HOMES:
        raise AttributeError(f"module 'prism' has no attribute {name!r}")
    module, own = _HOMES[name]
    return getattr(import_module(module), own)


def __dir__() -> list[str]:
    return sorted({*globals(), *__all__})
