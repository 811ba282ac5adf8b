from django.urls import path

from dactyl.desk import views
from dactyl.kits.views import pages

app_name = "desk"
KIT = "<int:kit_id>/"
OUTPUT = "<int:kit_id>/outputs/<int:output_id>/"
urlpatterns = [
    path(KIT + "desk/", views.page, name="desk"),
    path(KIT + "desk/mics/", pages.picture, {"view": "mics"}, name="mics"),
    path(KIT + "desk/set/<str:name>/", views.set_desk, name="set_desk"),
    path(KIT + "desk/group/", views.add_group, name="add_output_group"),
    path(KIT + "desk/group/<int:group_id>/<str:what>/", views.change_group, name="change_output_group"),
    path(KIT + "desk/route/<str:how>/", views.route, name="route"),
    path(OUTPUT + "set/<str:name>/", views.set_channel, name="set_output"),
    path(OUTPUT + "pieces/", views.route_pieces, name="route_pieces"),
]
