from django.urls import path

from dactyl.lineups import views

app_name = "lineups"
KIT = "<int:kit_id>/alongside/"
urlpatterns = [
    path(KIT, views.panel, name="panel"),
    path(KIT + "lanes/", views.lanes, name="lanes"),
    path(KIT + "sheet/", views.sheet, name="sheet"),
    path(KIT + "collisions/", views.collisions, name="collisions"),
    path(KIT + "keep/", views.keep, name="keep"),
    path("set/<int:set_id>/lineup/", views.from_set, name="from_set"),
    path(KIT + "link/", views.link, name="link"),
    path(KIT + "unlink/<str:key>/", views.unlink, name="unlink"),
    path(KIT + "package/", views.package, name="package"),
    path(KIT + "desk/outputs/<str:place>/<str:name>/", views.set_output, name="set_output"),
    path(KIT + "desk/group/", views.add_group, name="add_group"),
    path(KIT + "desk/group/<int:group_id>/<str:what>/", views.change_group, name="change_group"),
    path(KIT + "add/", views.add, name="add"),
    path(KIT + "own/channels/", views.own_channels, name="own_channels"),
    path(KIT + "by-channel/", views.by_channel, name="by_channel"),
    path(KIT + "<int:row_id>/<str:name>/", views.change, name="change"),
]
