"""Any pass of any element."""

from django.shortcuts import get_object_or_404

from desk.elements.services import sources_of
from desk.viewer.registry import Asked, Opened, subject
from desk.web.requests import whole_number
from prism.viewing.subjects import PassSubject


@subject("pass")
def open_pass(asked: Asked) -> Opened:
    """One pass of an element. Raises UnreadableFile."""
    elements = asked.shot.elements.select_related("shot__production", "shot__plan")
    element = get_object_or_404(elements, pk=whole_number(asked.chosen, "element"))
    return Opened(PassSubject(f"{element.name}/{asked.chosen.get('key', '')}"), sources_of([element], asked.frame))
