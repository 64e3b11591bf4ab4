from django.urls import path

from desk.scenes import views

urlpatterns = [
    path("", views.scene, name="scene"),
    path("facts/", views.facts, name="scene-facts"),
    path("picture/<str:camera>/", views.picture, name="scene-picture"),
    path("<int:number>/", views.export, name="scene-export"),
]
