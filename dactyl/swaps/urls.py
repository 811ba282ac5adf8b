from django.urls import path

from dactyl.swaps import views

app_name = "swaps"
KIT, PAD = "<int:kit_id>/", "<int:kit_id>/pads/<int:pad_id>/"
urlpatterns = [
    path(PAD + "swap/", views.page, name="swap"),
    path(PAD + "swap/keep/", views.keep, name="keep_swap"),
    path(PAD + "swap/thicken/", views.thicken, name="thicken"),
    path(PAD + "swap/phase/", views.phase_of, name="phase"),
    path(PAD + "copy-to/", views.copy_to, name="copy_to"),
    path(KIT + "begin-from/", views.begin_from, name="begin_from"),
    path(KIT + "pieces/add/", views.add, name="add_piece"),
]
