from django.urls import path

from desk.intake import views

urlpatterns = [
    path("", views.intake, name="intake"),
    path("remove/<int:element>/", views.remove, name="intake-remove"),
    path("set-aside/", views.set_aside, name="intake-set-aside"),
]
