from __future__ import annotations

from django.conf import settings
from django.contrib import messages
from django.contrib.auth import authenticate, get_user_model, update_session_auth_hash
from django.contrib.auth.decorators import login_not_required
from django.contrib.auth.forms import AuthenticationForm, SetPasswordForm
from django.contrib.auth.views import LoginView
from django.core.exceptions import PermissionDenied
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_http_methods, require_POST

from desk.accounts import services
from desk.accounts.models import OneTimePassword, Tour
from desk.web.saving import at_once
from prism.errors import BadArgument


@require_http_methods(["GET", "POST"])
def password(request: HttpRequest) -> HttpResponse:
    """Choose a password of one's own."""
    form = SetPasswordForm(request.user, request.POST if request.method == "POST" else None)
    first = OneTimePassword.objects.filter(user=request.user).exists()
    if request.method == "POST":
        with services.checking_passwords(request):
            given = request.POST.get("old_password", "")
            if not first and not _is_password(request, given):
                form.add_error(None, "Your current password is not right.")
            if form.is_valid():
                form.save()
        if form.is_valid():
            OneTimePassword.objects.filter(user=request.user).delete()
            update_session_auth_hash(request, request.user)
            messages.success(request, "Your password is changed.")
            return redirect("shots")
    status = 422 if form.errors else 200
    return render(request, "accounts/password.html", {"form": form, "first": first}, status=status)


def _is_password(request: HttpRequest, given: str) -> bool:
    """Whether it is the user's; a wrong one counts like a wrong login, and is as slow when there were many."""
    return authenticate(request, username=request.user.get_username(), password=given) is not None


@require_http_methods(["GET", "POST"])
def accounts(request: HttpRequest) -> HttpResponse:
    """All accounts; a new one by its name, with a password that is shown once."""
    _require_owner(request)
    fault, made, typed = None, None, request.POST.get("name", "")
    if request.method == "POST":
        try:
            user, one_time = services.create(typed, may_set_up=request.POST.get("may_set_up") == "on")
            made, typed = {"name": user.get_username(), "password": one_time}, ""
        except BadArgument as error:
            fault = error
    return _page(request, {"fault": fault, "made": made, "typed": typed}, 422 if fault else 200)


@require_POST
def change(request: HttpRequest, pk: int) -> HttpResponse:
    """A new one-time password for an account, or its end, or its return."""
    _require_owner(request)
    user = get_object_or_404(get_user_model(), pk=pk)
    action = request.POST.get("action")
    try:
        if action == "reset":
            made = {"name": user.get_username(), "password": services.reset(user)}
            return _page(request, {"made": made}, 200)
        if action not in ("close", "open"):
            raise BadArgument(f"{action} is not something to do with an account.", where="action")
        services.set_active(user, action == "open", by=request.user)
    except BadArgument as error:
        return _page(request, {"fault": error}, 422)
    return redirect("accounts")


class LoginForm(AuthenticationForm):
    """Django's, which passes on names that are too long for any account, and for the record of wrong ones."""

    def clean_username(self) -> str:
        """Raises ValidationError, as for a name there is not."""
        name = self.cleaned_data["username"]
        if len(name) > get_user_model()._meta.get_field("username").max_length:
            raise self.get_invalid_login_error()
        return name


class Login(LoginView):
    """The login page. Checking a password takes long on purpose, so only few are checked at once, and few for one
    address."""

    form_class = LoginForm
    template_name = "login.html"
    redirect_authenticated_user = True

    def post(self, request: HttpRequest, *arguments, **named) -> HttpResponse:
        """Raises Busy."""
        with services.checking_passwords(request):
            return at_once(super().post)(request, *arguments, **named)  # wrong ones are counted in one record by all


@login_not_required
def locked_out(request: HttpRequest, *_, **__) -> HttpResponse:
    """In the place of the login page, after too many wrong passwords."""
    wait = round(settings.AXES_COOLOFF_TIME.total_seconds() / 60)
    fault = BadArgument(
        "Too many wrong passwords.", advice=f"Wait {wait} minutes, or ask who keeps the accounts for a new one."
    )
    return render(request, "login.html", {"fault": fault}, status=429)


def _page(request: HttpRequest, more: dict, status: int) -> HttpResponse:
    users = get_user_model().objects.order_by("username").prefetch_related("memberships__production")
    return render(request, "accounts/list.html", {"users": users, **more}, status=status)


def _require_owner(request: HttpRequest) -> None:
    if not request.user.is_staff:
        raise PermissionDenied("Accounts are kept by those who set this house up.")


@require_POST
def tour(request: HttpRequest) -> JsonResponse:
    """Seen or skipped: this account is not shown around again unless it asks."""
    Tour.objects.get_or_create(user=request.user)
    return JsonResponse({})
