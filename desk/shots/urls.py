from django.urls import path

from desk.shots import views

urlpatterns = [
    path("", views.shot, name="shot"),
    path("picture/", views.picture, name="shot-picture"),
    path("render/", views.coming, {"station": "render"}, name="render"),
    path("finish/", views.coming, {"station": "finish"}, name="finish"),
]
