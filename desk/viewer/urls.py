from django.urls import path

from desk.viewer import views

urlpatterns = [
    path("", views.look, name="look"),
    path("picture/", views.picture, name="look-picture"),
    path("probe/", views.probe, name="look-probe"),
    path("values/", views.values, name="look-values"),
    path("sheet/", views.sheet, name="look-sheet"),
]
