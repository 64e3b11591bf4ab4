from django.urls import path

from desk.plan import views

urlpatterns = [
    path("", views.plan, name="plan"),
    path("answer/", views.answer, name="plan-answer"),
    path("save/", views.save, name="plan-save"),
    path("export/", views.export, name="plan-export"),
]
