from django.urls import path

from dactyl.stacking import views

app_name = "stacking"
KIT, PAD = "<int:kit_id>/", "<int:kit_id>/pads/<int:pad_id>/"
urlpatterns = [
    path(PAD + "give/", views.give, name="give"),
    path(PAD + "cut/", views.cut, name="cut"),
    path(PAD + "cut/listen/", views.listen_for_cut, name="listen_for_cut"),
    path(PAD + "cut/now/", views.cut_now, name="cut_now"),
    path("cut/<int:sample_id>/", views.cut_waveform, name="cut_waveform"),
    path(KIT + "stack/", views.stack, name="stack"),
    path(KIT + "stack/propose/", views.propose_pads, name="propose"),
    path(KIT + "stack/<int:proposal_id>/apply/", views.apply_proposal, name="apply_proposal"),
    path(KIT + "stack/<int:proposal_id>/drop/", views.drop_proposal, name="drop_proposal"),
    path(KIT + "stack/<int:proposal_id>/<str:what>/", views.change_proposal, name="change_proposal"),
]
