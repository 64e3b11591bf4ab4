"""The pixels this process keeps, for all pages and users; decoded planes lie on disk for all processes."""

from django.conf import settings

from prism.combine.evaluate import Evaluator
from prism.finish.evaluate import Finisher
from prism.formats.planes import PlaneFolder
from prism.sources.store import PixelStore

PIXELS = PixelStore(
    settings.PIXEL_CACHE_BYTES, folder=PlaneFolder(settings.VAR / "cache" / "planes", settings.PLANE_CACHE_BYTES)
)
EVALUATOR = Evaluator(PIXELS)
FINISHER = Finisher(PIXELS)
