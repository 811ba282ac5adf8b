from django.urls import path

from dactyl.kit_files import views

app_name = "kit_files"
KIT = "<int:kit_id>/"
urlpatterns = [
    path("files/open/", views.open_file, name="open_file"),
    path("files/<int:kit_file_id>/", views.opening, name="opening"),
    path("files/<int:kit_file_id>/again/", views.open_again, name="open_again"),
    path("files/<int:kit_file_id>/leave/", views.leave_out, name="leave_out"),
    path(KIT + "package/", views.package, name="package"),
    path("files/<int:kit_file_id>/choose/", views.choose, name="choose"),
    path(KIT + "soundfont/", views.soundfont, name="soundfont"),
    path(KIT + "soundfont/about/", views.font, name="font"),
    path(KIT + "soundfont/write/", views.write_font, name="write_font"),
    path(KIT + "soundfont/cancel/", views.cancel_font, name="cancel_font"),
    path(KIT + "package/about/", views.about_package, name="about_package"),
]
