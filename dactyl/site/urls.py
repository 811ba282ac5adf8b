from django.urls import include, path

from dactyl.kits.views import pages
from dactyl.site.find import find, lately
from dactyl.site.guide import guide

urlpatterns = [
    path("", pages.home, name="home"),
    path("find/", find, name="find"),
    path("lately/", lately, name="lately"),
    path("guide/", guide, name="guide"),
    path("guide/<slug:slug>/", guide, name="guide_page"),
    path("shelf/", include("dactyl.shelf.urls")),
    path("kits/", include("dactyl.kits.urls")),
    path("kits/", include("dactyl.maps.urls")),
    path("kits/", include("dactyl.sets.urls")),
    path("kits/", include("dactyl.pictures.urls")),
    path("kits/", include("dactyl.playing.urls")),
    path("kits/", include("dactyl.kit_files.urls")),
    path("kits/", include("dactyl.stacking.urls")),
    path("kits/", include("dactyl.swaps.urls")),
    path("kits/", include("dactyl.desk.urls")),
    path("kits/", include("dactyl.versions.urls")),
    path("kits/", include("dactyl.lineups.urls")),
    path("kits/", include("dactyl.checks.urls")),
    path("parts/", include("dactyl.parts.urls")),
    path("recordings/", include("dactyl.recordings.urls")),
    path("bounces/", include("dactyl.bounces.urls")),
]
handler400 = "dactyl.site.views.bad_request"
handler404 = "dactyl.site.views.not_found"
handler500 = "dactyl.site.views.failed"
