from django.urls import path

from dactyl.playing import views

app_name = "playing"
KIT = "<int:kit_id>/"
urlpatterns = [
    path("kernel/", views.kernel, name="kernel"),
    path("loudness/<int:rate_hz>/", views.loudness_filters, name="loudness_filters"),
    path("sounds/<str:extent>/<str:keys>/", views.sounds, name="sounds"),
    path(KIT + "flipped/<int:other_id>/<int:rate_hz>/", views.flipped, name="flipped"),
    path(KIT + "members/", views.versions, name="versions"),
    path(KIT + "playbook/<int:rate_hz>/", views.playbook, name="playbook"),
]
