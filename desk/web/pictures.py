"""Display bytes as answers, and as addresses that a page shows without asking again."""

from __future__ import annotations

import base64

import numpy as np
from django.http import HttpResponse
from numpy.typing import NDArray

from prism.viewing.picture import encode


def picture_answer(codes: NDArray[np.uint8], *, seconds: int) -> HttpResponse:
    """A picture (H, W, 3 or 4) that the reader's own browser may keep for so long."""
    data, kind = _encoded(codes)
    answer = HttpResponse(data, content_type=kind)
    answer["Cache-Control"] = f"private, max-age={seconds}"
    return answer


def picture_address(codes: NDArray[np.uint8]) -> str:
    """A picture (H, W, 3 or 4) as an address that holds all of it."""
    data, kind = _encoded(codes)
    return f"data:{kind};base64,{base64.b64encode(data).decode()}"


def _encoded(codes: NDArray[np.uint8]) -> tuple[bytes, str]:
    """With its alpha if it has one; and its type."""
    kind = "png" if codes.shape[2] == 4 else "jpeg"
    return encode(codes, kind), f"image/{kind}"
