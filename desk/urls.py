"""Addresses name what is shown: production, shot, station."""

from django.contrib.auth.views import LogoutView
from django.urls import include, path

from desk.accounts.views import Login, password, tour
from desk.house import guide, setup_views
from desk.house.health import health
from desk.house.views import shots

SHOT = "shots/<slug:production>/<slug:shot>/"


handler500 = "desk.web.faults.failed"
urlpatterns = [
    path("health/", health, name="health"),
    path("login/", Login.as_view(), name="login"),
    path("logout/", LogoutView.as_view(), name="logout"),
    path("password/", password, name="password"),
    path("tour/", tour, name="tour"),
    path("accounts/", include("desk.accounts.urls")),
    path("guide/", guide.page, name="guide"),
    path("guide/screenshots/<str:name>", guide.picture, name="guide-picture"),
    path("work/", include("desk.jobs.urls")),
    path("", shots, name="shots"),
    path("productions/new/", setup_views.new_production, name="production-new"),
    path("productions/<slug:production>/", setup_views.production, name="production"),
    path("productions/<slug:production>/members/", setup_views.members, name="production-members"),
    path("productions/<slug:production>/archive/", setup_views.archive_production, name="production-archive"),
    path(SHOT, include("desk.house.urls")),
    path(f"{SHOT}scene/", include("desk.scenes.urls")),
    path(f"{SHOT}plan/", include("desk.plan.urls")),
    path(f"{SHOT}render/", include("desk.render.urls")),
    path(f"{SHOT}intake/", include("desk.intake.urls")),
    path(f"{SHOT}look/", include("desk.viewer.urls")),
    path(f"{SHOT}rebuild/", include("desk.rebuild.urls")),
    path(f"{SHOT}finish/", include("desk.finish.urls")),
    path(f"{SHOT}hand-off/", include("desk.handoff.urls")),
]
