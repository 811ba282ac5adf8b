from django.urls import path

from dactyl.parts import views

app_name = "parts"
urlpatterns = [
    path("of/<int:kit_id>/", views.part_page, name="part"),
    path("of/<int:kit_id>/read/", views.read_midi, name="read"),
    path("<int:part_id>/hits/<int:rate_hz>/", views.hits, name="hits"),
]
