from django.urls import path

from dactyl.recordings import views

app_name = "recordings"
KIT, RECORDING = "of/<int:kit_id>/", "of/<int:kit_id>/<int:recording_id>/"
urlpatterns = [
    path(KIT + "new/", views.new, name="new"),
    path(RECORDING, views.page, name="recording"),
    path(RECORDING + "listening/", views.listening, name="listening"),
    path(RECORDING + "find/", views.find, name="find"),
    path(RECORDING + "cancel/", views.cancel, name="cancel"),
    path(RECORDING + "tracks/<int:track_id>/", views.thresholds, name="thresholds"),
    path(RECORDING + "make/", views.make, name="make"),
    path(RECORDING + "forget/", views.forget, name="forget"),
]
