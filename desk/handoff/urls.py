from django.urls import path

from desk.handoff import board_views, review_views, views

urlpatterns = [
    path("", views.handoff, name="hand-off"),
    path("order/", views.order, name="hand-off-order"),
    path("names/", views.names, name="hand-off-names"),
    path("preview/", views.preview, name="hand-off-preview"),
    path("<int:delivery>/picture/<str:item>/<str:size>/", views.picture, name="hand-off-picture"),
    path("draft/", views.draft, name="hand-off-draft"),
    path("preset/", views.preset, name="hand-off-preset"),
    path("progress/", views.progress, name="hand-off-progress"),
    path("<int:delivery>/again/", views.act, {"action": "again"}, name="hand-off-again"),
    path("<int:delivery>/cancel/", views.act, {"action": "cancel"}, name="hand-off-cancel"),
    path("<int:delivery>/close/", views.act, {"action": "close"}, name="hand-off-close"),
    path("boards/new/", board_views.new, name="hand-off-board-new"),
    path("boards/picture/", board_views.picture, name="hand-off-board-picture"),
    path("boards/<int:board>/", board_views.board, name="hand-off-board"),
    path("boards/<int:board>/save/", board_views.save, name="hand-off-board-save"),
    path("boards/<int:board>/remove/", board_views.remove, name="hand-off-board-remove"),
    path("boards/<int:board>/preview/", board_views.preview, name="hand-off-board-preview"),
    path("notes/", review_views.notes, name="hand-off-notes"),
    path("notes/answer/", review_views.answer, name="hand-off-answer"),
    path("notes/remove/", review_views.remove, name="hand-off-note-remove"),
    path("notes/pdf/", review_views.notes_order, name="hand-off-notes-order"),
    path("notes.csv", review_views.notes_csv, name="hand-off-notes-csv"),
    path("notes.pdf", review_views.notes_pdf, name="hand-off-notes-pdf"),
    path("<int:delivery>/review/<str:item>/", review_views.page, name="hand-off-review"),
    path("<int:delivery>/review/<str:item>/note/", review_views.note, name="hand-off-note"),
    path("<int:delivery>/review/<str:item>/<int:number>/", review_views.frame, name="hand-off-frame"),
    path("<int:delivery>/review/<str:item>/<int:number>/notes/", review_views.marks, name="hand-off-marks"),
    path("<int:delivery>/file/<path:file>", views.download, name="hand-off-file"),
]
