from django.urls import path

from dactyl.kits.views import pages
from dactyl.pictures import views

app_name = "pictures"
KIT, PAD = "<int:kit_id>/", "<int:kit_id>/pads/<int:pad_id>/"
urlpatterns = [
    path(KIT + "cuts/", pages.picture, {"view": "cuts"}, name="cuts"),
    path(KIT + "plan/", pages.picture, {"view": "plan"}, name="plan"),
    path(KIT + "plan.svg", views.plan_svg, name="plan_svg"),
    path(KIT + "plan/usual/", views.as_usual, name="place_as_usual"),
    path(KIT + "pieces/<int:piece_id>/place/", views.place_piece, name="place_piece"),
    path(KIT + "cuts/usual/", views.apply_usual, name="usual_cuts"),
    path(KIT + "cuts/mute/<int:number>/fade/", views.mute_fade, name="mute_fade"),
    path(KIT + "cuts/links/", views.level_links, name="level_links"),
    path(PAD + "cuts/<int:other_id>/", views.toggle, name="toggle_cut"),
]
