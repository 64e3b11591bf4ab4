from django.urls import path

from desk.accounts import views

urlpatterns = [
    path("", views.accounts, name="accounts"),
    path("<int:pk>/", views.change, name="account-change"),
]
