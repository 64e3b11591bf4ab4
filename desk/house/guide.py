"""The guide, as it lies in docs/, shown as a page of the application."""

from __future__ import annotations

import re
from functools import lru_cache
from pathlib import Path

import markdown
from django.http import FileResponse, Http404, HttpRequest, HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_GET

from prism.pages import PAGES

_PICTURE = re.compile(r"[a-z0-9-]+\.png")
_DOCUMENT_LINK = re.compile(r'<a href="[a-z-]+\.md">(.*?)</a>')


@require_GET
def page(request: HttpRequest) -> HttpResponse:
    """The guide."""
    path = PAGES / "guide.md"
    return render(request, "guide.html", {"text": _as_html(path, path.stat().st_mtime_ns)})


@require_GET
def picture(request: HttpRequest, name: str) -> FileResponse:
    """A picture of the guide. Not found for anything else."""
    path = PAGES / "screenshots" / name
    if not _PICTURE.fullmatch(name) or not path.is_file():
        raise Http404("There is no such picture.")
    return FileResponse(open(path, "rb"), content_type="image/png")


@lru_cache(maxsize=1)
def _as_html(path: Path, changed: int) -> str:
    """Our own text, so that it is taken as it is. Links to other documents, which are no pages here, become names."""
    html = markdown.markdown(path.read_text(encoding="utf-8"), extensions=["fenced_code", "toc"])
    return _DOCUMENT_LINK.sub(r"<code>\1</code>", html)
