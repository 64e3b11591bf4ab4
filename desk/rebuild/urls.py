from django.urls import path

from desk.rebuild import bench_views, views

urlpatterns = [
    path("", views.rebuild, name="rebuild"),
    path("contributions/", views.contributions, name="rebuild-contributions"),
    path("balance/", views.balance, name="rebuild-balance"),
    path("save/", views.save, name="rebuild-save"),
    path("version/", views.version, name="rebuild-version"),
    path("version/<int:ledger>/<int:number>/", views.version_document, name="rebuild-version-document"),
    path("element/", views.element, name="rebuild-element"),
    path("lay/<int:ledger>/<int:element>/", views.lay, name="rebuild-lay"),
    path("copy/", views.copy, name="rebuild-copy"),
    path("export/", views.export, name="rebuild-export"),
    path("paste/", views.paste, name="rebuild-paste"),
    path("template/", views.template, name="rebuild-template"),
    path("sweep/", views.sweep, name="rebuild-sweep"),
    path("histogram/", views.histogram, name="rebuild-histogram"),
    path("names/", views.names, name="rebuild-names"),
    path("pick/", views.pick, name="rebuild-pick"),
    path("place/", views.place, name="rebuild-place"),
    path("add/", views.add, name="rebuild-add"),
    path("first/", views.first, name="rebuild-first"),
    path("deep/", bench_views.page, name="rebuild-deep"),
    path("deep/section/", bench_views.section, name="rebuild-deep-section"),
    path("deep/points/", bench_views.points, name="rebuild-deep-points"),
    path("deep/costs/", bench_views.costs, name="rebuild-deep-costs"),
    path("deep/facts/", bench_views.facts, name="rebuild-deep-facts"),
    path("deep/put/", bench_views.put, name="rebuild-deep-put"),
    path("deep/add/", bench_views.add, name="rebuild-deep-add"),
    path("deep/write/", bench_views.write, name="rebuild-deep-write"),
]
