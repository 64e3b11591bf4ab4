from django.urls import path

from desk.intake import views

urlpatterns = [
    path("", views.intake, name="intake"),
    path("state/", views.state, name="intake-state"),
    path("bring/", views.bring, name="intake-bring"),
    path("upload/", views.upload_begin, name="intake-upload-begin"),
    path("upload/piece/", views.upload_piece, name="intake-upload-piece"),
    path("act/", views.act, name="intake-act"),
    path("folders/", views.folders, name="intake-folders"),
    path("thumb/<int:element>/", views.thumb, name="intake-thumb"),
    path("thumb/<int:element>/made/", views.thumb_made, name="intake-thumb-made"),
    path("edge/<int:element>/", views.edge, name="intake-edge"),
    path("set-aside/", views.set_aside, name="intake-set-aside"),
]
