from django.urls import path

from desk.handoff import views

urlpatterns = [
    path("", views.handoff, name="hand-off"),
    path("names/", views.names, name="hand-off-names"),
    path("progress/", views.progress, name="hand-off-progress"),
    path("<int:delivery>/again/", views.act, {"action": "again"}, name="hand-off-again"),
    path("<int:delivery>/cancel/", views.act, {"action": "cancel"}, name="hand-off-cancel"),
    path("<int:delivery>/<int:number>/", views.download, name="hand-off-file"),
]
