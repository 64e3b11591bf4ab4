"""Addresses name what is shown: production, shot, station."""

from django.contrib.auth.decorators import login_not_required
from django.contrib.auth.views import LoginView, LogoutView
from django.http import HttpResponse
from django.urls import include, path

from desk.shots.views import shots

SHOT = "shots/<slug:production>/<slug:shot>/"


@login_not_required
def health(request):
    """Answers once the application can serve; the launcher waits for it."""
    return HttpResponse("ok", content_type="text/plain")


urlpatterns = [
    path("health/", health),
    path("login/", LoginView.as_view(template_name="login.html", redirect_authenticated_user=True), name="login"),
    path("logout/", LogoutView.as_view(), name="logout"),
    path("", shots, name="shots"),
    path(SHOT, include("desk.shots.urls")),
    path(f"{SHOT}plan/", include("desk.plan.urls")),
    path(f"{SHOT}render/", include("desk.render.urls")),
    path(f"{SHOT}intake/", include("desk.intake.urls")),
    path(f"{SHOT}rebuild/", include("desk.rebuild.urls")),
    path(f"{SHOT}hand-off/", include("desk.handoff.urls")),
]
