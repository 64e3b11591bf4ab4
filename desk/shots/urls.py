from django.urls import path

from desk.shots import views

urlpatterns = [
    path("", views.shot, name="shot"),
    path("picture/", views.picture, name="shot-picture"),
    path("finish/", views.coming, {"station": "finish"}, name="finish"),
]
