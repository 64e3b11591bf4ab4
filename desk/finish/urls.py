from django.urls import path

from desk.finish import views

urlpatterns = [
    path("", views.page, name="finish"),
    path("chain/", views.chain, name="finish-chain"),
    path("lay/", views.lay, name="finish-lay"),
    path("export/", views.export, name="finish-export"),
    path("preset/", views.preset, name="finish-preset"),
]
