from django.urls import path

from dactyl.maps.views import devices, notes, surfaces, translations

app_name = "maps"
KIT = "<int:kit_id>/"
urlpatterns = [
    path(KIT + "map/", notes.map_page, name="map"),
    path("octaves/", notes.name_octaves, name="name_octaves"),
    path(KIT + "ways/", devices.ways_in, name="ways"),
    path(KIT + "map/<str:what>/of-map/", notes.change_map, name="change_map"),
    path(KIT + "map/surfaces/", surfaces.surfaces_page, name="surfaces"),
    path(KIT + "map/surfaces/add/", surfaces.add, name="add_surface"),
    path(KIT + "map/surfaces/<int:surface_id>/fill/", surfaces.fill_cell, name="fill_cell"),
    path(KIT + "map/surfaces/<int:surface_id>/<str:what>/", surfaces.change, name="change_surface"),
    path(KIT + "map/devices/", devices.devices_page, name="devices"),
    path(KIT + "map/devices/<int:device_id>/plays/", surfaces.device_plays, name="device_plays"),
    path(KIT + "map/devices/<int:device_id>/surface/", surfaces.device_surface, name="device_surface"),
    path("devices/add/for/<int:kit_id>/", devices.add, name="add_device"),
    path("devices/<int:device_id>/<str:what>/for/<int:kit_id>/", devices.change, name="change_device"),
    path(KIT + "map/translations/", translations.translations_page, name="translations"),
    path(KIT + "map/translations/propose/", translations.propose, name="propose_translation"),
    path(KIT + "map/translations/names/", translations.add_names, name="add_names"),
    path(KIT + "map/translations/<int:translation_id>/<str:what>/", translations.change, name="change_translation"),
    path(KIT + "map/arrange/", notes.arrange, name="arrange_notes"),
    path(KIT + "map/learned/", notes.learned, name="learned_notes"),
    path(KIT + "map/list/", notes.note_list, name="note_list"),
    path(KIT + "map/notes.midnam", notes.note_names, name="note_names"),
    path(KIT + "map/notes.csv", notes.note_csv, name="note_csv"),
    path(KIT + "pads/<int:pad_id>/notes/", notes.set_notes, name="set_notes"),
]
