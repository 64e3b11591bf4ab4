from django.urls import path

from desk.jobs import views

urlpatterns = [
    path("", views.work, name="work"),
    path("progress/", views.progress, name="work-progress"),
    path("detail/", views.detail, name="work-detail"),
    path("change/", views.change, name="work-change"),
]
