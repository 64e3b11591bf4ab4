from django.urls import path

from desk.render import views

urlpatterns = [
    path("", views.render_station, name="render"),
    path("start/", views.start, name="render-start"),
    path("progress/", views.progress, name="render-progress"),
    path("change/", views.change, name="render-change"),
    path("frame/<int:pk>/", views.frame, name="render-frame"),
    path("picture/<int:pk>/", views.picture, name="render-picture"),
    path("compare/", views.compare, name="render-compare"),
    path("difference/", views.difference, name="render-difference"),
]
