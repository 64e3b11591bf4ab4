from django.urls import path

from desk.handoff import views

urlpatterns = [
    path("", views.handoff, name="hand-off"),
    path("order/", views.order, name="hand-off-order"),
    path("names/", views.names, name="hand-off-names"),
    path("draft/", views.draft, name="hand-off-draft"),
    path("preset/", views.preset, name="hand-off-preset"),
    path("progress/", views.progress, name="hand-off-progress"),
    path("<int:delivery>/again/", views.act, {"action": "again"}, name="hand-off-again"),
    path("<int:delivery>/cancel/", views.act, {"action": "cancel"}, name="hand-off-cancel"),
    path("<int:delivery>/close/", views.act, {"action": "close"}, name="hand-off-close"),
    path("<int:delivery>/file/<path:file>", views.download, name="hand-off-file"),
]
