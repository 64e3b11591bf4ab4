from django.urls import path

from desk.house import setup_views, views

urlpatterns = [
    path("", views.shot, name="shot"),
    path("settings/", setup_views.settings, name="shot-settings"),
    path("picture/", views.picture, name="shot-picture"),
]
