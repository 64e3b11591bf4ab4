from django.urls import path

from desk.plan import library_views, scene_views, views

urlpatterns = [
    path("", views.plan, name="plan"),
    path("answer/", views.answer, name="plan-answer"),
    path("save/", views.save, name="plan-save"),
    path("export/", views.export, name="plan-export"),
    path("lock/", views.lock, name="plan-lock"),
    path("copy/", views.copy, name="plan-copy"),
    path("bring-in/", views.bring_in, name="plan-bring-in"),
    path("name/", views.name, name="plan-name"),
    path("audit/", views.audit, name="plan-audit"),
    path("side/", scene_views.side, name="plan-side"),
    path("mist/", scene_views.mist, name="plan-mist"),
    path("measure/", scene_views.measure, name="plan-measure"),
    path("limits/", scene_views.limits, name="plan-limits"),
    path("presets/", library_views.presets, name="plan-presets"),
    path("preset/", library_views.preset, name="plan-preset"),
    path("sizes/", library_views.sizes, name="plan-sizes"),
]
