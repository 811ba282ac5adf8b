from django.urls import path

from dactyl.shelf import views

app_name = "shelf"
urlpatterns = [
    path("", views.shelf, name="shelf"),
    path("samples/", views.samples, name="samples"),
    path("found/", views.found, name="found"),
    path("samples/<int:sample_id>/", views.sample, name="sample"),
    path("samples/<int:sample_id>/sound/<int:rate_hz>/", views.sample_sound, name="sample_sound"),
    path("kind/", views.set_kind, name="set_kind"),
    path("away/", views.put_away, name="put_away"),
    path("imports/", views.begin_import, name="begin_import"),
    path("imports/<int:import_id>/", views.import_progress, name="import"),
    path("imports/<int:import_id>/files/", views.add_file, name="add_file"),
    path("imports/<int:import_id>/stop/", views.stop_import, name="stop_import"),
]
