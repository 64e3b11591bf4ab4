"""Pages to set up: productions, their members, and shots."""

from __future__ import annotations

from django.contrib import messages
from django.contrib.auth import get_user_model
from django.core.exceptions import PermissionDenied
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_http_methods, require_POST

from desk.house import setup
from desk.house.forms import MemberForm, NameForm, ProductionForm, ShotForm
from desk.shots.access import with_shot
from desk.shots.models import Membership, Production, Shot
from desk.stations.head import head
from prism.errors import BadArgument, PrismError


@require_http_methods(["GET", "POST"])
def new_production(request: HttpRequest) -> HttpResponse:
    """The form for a new production."""
    if not request.user.is_staff:
        raise PermissionDenied("Productions are made by those who set this house up.")
    form = ProductionForm(request.POST if request.method == "POST" else None)
    if form.is_valid():
        try:
            made = setup.create_production(form.cleaned_data["code"], form.cleaned_data["title"], request.user)
            return redirect("production", production=made.code)
        except PrismError as error:
            _add(form, error)
    first = not Production.objects.exists()
    return render(request, "shots/production_new.html", {"form": form, "first": first}, status=_status(form))


@require_http_methods(["GET", "POST"])
def production(request: HttpRequest, production: str) -> HttpResponse:
    """A production: its shots, its members, and what its owners may do with both."""
    found = _production(request, production)
    form = ShotForm(request.POST if request.method == "POST" else None)
    if request.method == "POST":
        _require_owner(request, found)
        if form.is_valid():
            chosen = form.cleaned_data
            cameras = (chosen["camera"].strip(),) if chosen["camera"].strip() else ()
            try:
                made = setup.create_shot(found, chosen["code"], chosen["title"], cameras=cameras, **form.settings())
                return redirect("scene", production=found.code, shot=made.code)
            except PrismError as error:
                _add(form, error)
    return render(request, "shots/production.html", _about(request, found) | {"form": form}, status=_status(form))


@require_POST
def members(request: HttpRequest, production: str) -> HttpResponse:
    """Add a member, change a role, or take a member out."""
    found = _production(request, production)
    _require_owner(request, found)
    form = MemberForm(request.POST, roles=[*Membership.Role.choices, ("out", "out")])
    if not form.is_valid():
        messages.warning(request, "Name an account and a role.")
        return redirect("production", production=found.code)
    name, role = form.cleaned_data["name"].strip(), form.cleaned_data["role"]
    user = get_user_model().objects.filter(username=name).first()
    if user is None:
        messages.warning(request, f"There is no account {name}. Make it under Accounts first.")
        return redirect("production", production=found.code)
    try:
        setup.change_role(found, user, None if role == "out" else role)
        messages.success(request, f"{name} is no longer a member." if role == "out" else f"{name} is {role} now.")
    except BadArgument as error:
        messages.warning(request, f"{error.what} {error.advice}")
    return redirect("production", production=found.code)


@require_POST
def archive_production(request: HttpRequest, production: str) -> HttpResponse:
    """Put a production away, or take it back; nothing is deleted."""
    found = _production(request, production)
    _require_owner(request, found)
    setup.set_archived(found, found.archived is None)
    messages.success(request, f"{found.code} is {'archived' if found.archived else 'back'}.")
    return redirect("production", production=found.code)


@require_http_methods(["GET", "POST"])
@with_shot
def settings(request: HttpRequest, shot: Shot) -> HttpResponse:
    """A shot's code and title, a copy of it, and its archive."""
    action = request.POST.get("action", "rename")
    initial = {"code": shot.code, "title": shot.title}
    rename = NameForm(request.POST if request.method == "POST" and action == "rename" else None, initial=initial)
    copy = NameForm(
        request.POST if request.method == "POST" and action == "copy" else None, initial={"title": shot.title}
    )
    if request.method == "POST":
        _require_owner(request, shot.production)
        if action == "archive":
            setup.set_archived(shot, shot.archived is None)
            messages.success(request, f"{shot.code} is {'archived' if shot.archived else 'back'}.")
            return redirect("production", production=shot.production.code)
        form = copy if action == "copy" else rename
        if form.is_valid():
            code, title = form.cleaned_data["code"], form.cleaned_data["title"]
            try:
                if action == "copy":
                    shot = setup.copy_shot(shot, code, title, request.user)
                else:
                    setup.rename_shot(shot, code, title)
                return redirect("shot-settings", production=shot.production.code, shot=shot.code)
            except PrismError as error:
                shot.refresh_from_db()
                _add(form, error)
    context = head(request, shot, "settings") | {"rename": rename, "copy": copy}
    context["may_own"] = shot.production.is_owned_by(request.user)
    return render(request, "shots/settings.html", context, status=422 if rename.errors or copy.errors else 200)


def _about(request: HttpRequest, found: Production) -> dict:
    return {
        "production": found,
        "shots": found.shots.select_related("plan", "production").order_by("archived", "code"),
        "members": found.memberships.select_related("user").order_by("user__username"),
        "roles": Membership.Role.choices,
        "accounts": get_user_model()
        .objects.filter(is_active=True)
        .exclude(memberships__production=found)
        .order_by("username"),
        "may_own": found.is_owned_by(request.user),
    }


def _production(request: HttpRequest, code: str) -> Production:
    return get_object_or_404(Production.objects.filter(memberships__user=request.user), code=code)


def _require_owner(request: HttpRequest, found: Production) -> None:
    if not found.is_owned_by(request.user):
        raise PermissionDenied("Only owners of the production may do that.")


def _add(form, error: PrismError) -> None:
    """A fault of the core beside the field it names, the form as it was typed."""
    field = error.where.rpartition(".")[2].rpartition(" ")[2]
    form.add_error(field if field in form.fields else None, f"{error.what} {error.advice}".strip())


def _status(form) -> int:
    return 422 if form.errors else 200
