"""Forms that make productions, shots and members: what is asked for, and in which bounds."""

from __future__ import annotations

from django import forms

from prism.colour.spaces import SPACES
from prism.plan.sizes import SIZES


def _sizes() -> list[tuple[str, list[tuple[str, str]]]]:
    return [
        (aspect, [(f"{size.width}x{size.height}", f"{size.title}, {size.width} × {size.height}") for size in sizes])
        for aspect, sizes in SIZES.items()
    ]


class ProductionForm(forms.Form):
    code = forms.CharField(max_length=20, help_text="Short; letters, digits, _ and -. It begins the names of folders.")
    title = forms.CharField(max_length=120)


class ShotForm(forms.Form):
    """A new shot. All but its code and title goes into its plan, where it can be changed later."""

    code = forms.CharField(max_length=40, help_text="Letters, digits, _ and -; it begins the names of files.")
    title = forms.CharField(max_length=120, required=False)
    frames = forms.CharField(max_length=200, initial="1001-1048", help_text="Both ends included.")
    rate = forms.FloatField(min_value=0.001, max_value=1000, initial=24, label="frames per second")
    size = forms.ChoiceField(choices=_sizes, initial="1920x1080", required=False)
    width = forms.IntegerField(
        min_value=1, max_value=65536, required=False, label="or width", help_text="Pixels; with a height, these count."
    )
    height = forms.IntegerField(min_value=1, max_value=65536, required=False, label="and height")
    space = forms.ChoiceField(choices=list(SPACES.items()), label="working colour")
    camera = forms.CharField(
        max_length=64, required=False, help_text="The render camera, if you know its name already."
    )

    def clean(self):
        """Whether the fields suit each other."""
        cleaned = super().clean()
        if bool(cleaned.get("width")) != bool(cleaned.get("height")):
            self.add_error("width", "Give both sides, or choose a size.")
        return cleaned

    def settings(self) -> dict[str, object]:
        """For the plan. Only after the form was found valid."""
        chosen = self.cleaned_data
        width, height = chosen["width"], chosen["height"]
        if not width:
            width, height = map(int, (chosen["size"] or "1920x1080").split("x"))
        return {
            "frames": chosen["frames"],
            "rate": chosen["rate"],
            "width": width,
            "height": height,
            "space": chosen["space"],
        }


class NameForm(forms.Form):
    """For a copy of a shot, or its new name."""

    code = forms.CharField(max_length=40)
    title = forms.CharField(max_length=120, required=False)


class MemberForm(forms.Form):
    name = forms.CharField(max_length=60)
    role = forms.ChoiceField(choices=[])

    def __init__(self, *args, roles, **kwargs) -> None:
        super().__init__(*args, **kwargs)
        self.fields["role"].choices = roles
