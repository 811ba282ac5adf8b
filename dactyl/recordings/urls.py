from django.urls import path

from dactyl.recordings import views

app_name = "recordings"
KIT, RECORDING = "of/<int:kit_id>/", "of/<int:kit_id>/<int:recording_id>/"
urlpatterns = [
    path(KIT + "new/", views.new, name="new"),
    path(KIT, views.listed, name="listed"),
    path(KIT + "part/<int:part_id>/", views.of_part, name="of_part"),
    path(KIT + "part/<int:part_id>/zero/", views.set_zero, name="set_zero"),
    path(RECORDING, views.page, name="recording"),
    path(RECORDING + "listening/", views.listening, name="listening"),
    path(RECORDING + "find/", views.find, name="find"),
    path(RECORDING + "cancel/", views.cancel, name="cancel"),
    path(RECORDING + "data/", views.data, name="data"),
    path(RECORDING + "tracks/<int:track_id>/", views.set_track, name="set_track"),
    path(RECORDING + "tracks/<int:track_id>/rise/", views.rise, name="rise"),
    path(RECORDING + "tracks/<int:track_id>/match/", views.match, name="match"),
    path(RECORDING + "tracks/<int:track_id>/give/<str:what>/", views.give, name="give"),
    path(RECORDING + "mend/", views.mend, name="mend"),
    path(RECORDING + "bars/", views.set_bars, name="set_bars"),
    path(RECORDING + "bars/offered/", views.offered_bars, name="offered_bars"),
    path(RECORDING + "undo/", views.undo, name="undo"),
    path(RECORDING + "redo/", views.redo, name="redo"),
    path(RECORDING + "make/", views.make, name="make"),
    path(RECORDING + "forget/", views.forget, name="forget"),
    path("tracks/<int:track_id>/peaks/", views.peaks, name="peaks"),
    path("tracks/<int:track_id>/sound/<int:block>/", views.sound, name="sound"),
]
