from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from django import forms

from prism.colour.view import ViewTransform
from prism.colour.views import VIEW_TITLES
from prism.delivery.deliver import Output
from prism.mattes.writing import file_word
from prism.pixels.file_formats import LOSSLESS, format_of


class OrderForm(forms.Form):
    """What to write: frames, and one or two formats."""

    frames = forms.CharField(max_length=500)
    exr = forms.BooleanField(required=False)
    pixel = forms.ChoiceField(choices=[("half", "half"), ("float", "float")])
    compression = forms.ChoiceField(choices=[(name, name) for name in LOSSLESS], initial="zip")
    holds = forms.ChoiceField(
        choices=[("light", "light, scene-linear"), ("display", "display values, with all of the finish")],
        required=False,
    )
    still = forms.ChoiceField(
        choices=[("", "none"), (".png", "PNG"), (".tif", "TIFF"), (".jpg", "JPEG")], required=False
    )
    view = forms.ChoiceField(choices=list(VIEW_TITLES.items()))
    bits = forms.TypedChoiceField(choices=[(8, "8 bit"), (16, "16 bit")], coerce=int)
    alpha = forms.ChoiceField(choices=[("black", "over black"), ("keep", "keep alpha")])
    mattes = forms.MultipleChoiceField(required=False)

    def __init__(self, *arguments, mattes: Sequence[str] = (), **named) -> None:
        super().__init__(*arguments, **named)
        self.fields["mattes"].choices = [(name, name) for name in mattes]

    def clean(self):
        """Whether format, depth and alpha suit each other, and mattes get names of their own."""
        cleaned = super().clean()
        still, bits = cleaned.get("still"), cleaned.get("bits")
        form = format_of(still) if still else None
        if form and bits and bits not in form.bits:
            self.add_error("bits", f"{form.title} has no {bits} bits; use {form.bits[0]}.")
        if form and cleaned.get("alpha") == "keep" and not form.has_alpha:
            self.add_error("alpha", f"{form.title} has no alpha; put it over black, or choose PNG or TIFF.")
        words = [file_word(name) for name in cleaned.get("mattes", [])]
        if len(set(words)) < len(words):
            self.add_error("mattes", "Two of these mattes would have the same file name; rename one under Rebuild.")
        return cleaned

    def wanted(self, space: str) -> tuple[str, dict[str, Output], list[Output]]:
        """Frames, what the picture is written as, and the mattes. Only after the form was found valid."""
        return self.cleaned_data["frames"], self._outputs(space), self._matte_outputs()

    def _matte_outputs(self) -> list[Output]:
        """One for each matte that was ticked."""
        chosen = self.cleaned_data
        how = {"pixel": chosen["pixel"], "compression": chosen["compression"]}
        return [Output(matte=name, **how) for name in chosen["mattes"]]

    def _held(self, transform: ViewTransform, alpha: str) -> dict[str, Any]:
        """What an EXR holds; a view and what becomes of alpha only matter for display values."""
        if self.cleaned_data["holds"] != "display":
            return {}
        return {"as_display": True, "transform": transform, "keep_alpha": alpha == "keep"}

    def _outputs(self, space: str) -> dict[str, Output]:
        """By suffix."""
        chosen = self.cleaned_data
        transform = ViewTransform(space, chosen["view"])
        wanted = {}
        if chosen["exr"]:
            wanted[".exr"] = Output(
                pixel=chosen["pixel"], compression=chosen["compression"], **self._held(transform, chosen["alpha"])
            )
        if chosen["still"]:
            wanted[chosen["still"]] = Output(
                transform=transform, bits=chosen["bits"], keep_alpha=chosen["alpha"] == "keep"
            )
        return wanted
