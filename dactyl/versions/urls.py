from django.urls import path

from dactyl.versions import views

app_name = "versions"
KIT = "<int:kit_id>/"
urlpatterns = [
    path(KIT + "versions/keep/", views.keep, name="keep_version"),
    path(KIT + "versions/<int:version_id>/compared/", views.compared, name="compare_version"),
    path(KIT + "versions/<int:version_id>/tables/<int:rate_hz>/", views.tables, name="version_tables"),
    path(KIT + "versions/<int:version_id>/back/", views.go_back, name="go_back"),
    path(KIT + "versions/<int:version_id>/open/", views.open_as_kit, name="open_version"),
    path(KIT + "versions/<int:version_id>/delete/", views.delete, name="delete_version"),
]
