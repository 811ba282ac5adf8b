from django.urls import path

from dactyl.kits import views

app_name = "kits"
urlpatterns = [
    path("new/", views.new_kit, name="new"),
    path("kernel/", views.kernel, name="kernel"),
    path("sounds/<str:extent>/<str:keys>/", views.sounds, name="sounds"),
    path("<int:kit_id>/", views.sheet, name="kit"),
    path("<int:kit_id>/outputs/", views.outputs, name="outputs"),
    path("<int:kit_id>/history/", views.history_page, name="history"),
    path("<int:kit_id>/card/", views.card, name="card"),
    path("<int:kit_id>/playbook/<int:rate_hz>/", views.playbook, name="playbook"),
    path("<int:kit_id>/undo/", views.undo, name="undo"),
    path("<int:kit_id>/redo/", views.redo, name="redo"),
    path("<int:kit_id>/rename/", views.rename_kit, name="rename"),
    path("<int:kit_id>/put-away/", views.put_away, name="put_away"),
    path("<int:kit_id>/pads/add/", views.add_pads, name="add_pads"),
    path("<int:kit_id>/pads/<int:pad_id>/set/<str:field>/", views.set_pad, name="set_pad"),
    path("<int:kit_id>/pads/<int:pad_id>/clear/", views.clear_pad, name="clear_pad"),
    path("<int:kit_id>/pads/<int:pad_id>/delete/", views.delete_pad, name="delete_pad"),
    path("<int:kit_id>/pads/<int:pad_id>/even/", views.split_evenly, name="split_evenly"),
    path("<int:kit_id>/pads/<int:pad_id>/give/", views.give, name="give"),
    path("<int:kit_id>/layers/<int:layer_id>/border/", views.set_border, name="set_border"),
    path("<int:kit_id>/takes/<int:take_id>/remove/", views.remove_take, name="remove_take"),
    path("<int:kit_id>/takes/<int:take_id>/enable/", views.enable_take, name="enable_take"),
    path("<int:kit_id>/outputs/<int:output_id>/set/<str:field>/", views.set_output, name="set_output"),
    path("<int:kit_id>/outputs/<int:output_id>/delete/", views.delete_output, name="delete_output"),
    path("<int:kit_id>/mics/<int:mic_id>/set/<str:field>/", views.set_mic, name="set_mic"),
]
