"""The pixels this process keeps, for all pages and users."""

from django.conf import settings

from prism.combine.evaluate import Evaluator
from prism.combine.store import PixelStore

PIXELS = PixelStore(settings.PIXEL_CACHE_BYTES)
EVALUATOR = Evaluator(PIXELS)
