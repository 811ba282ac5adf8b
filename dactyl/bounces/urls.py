from django.urls import path

from dactyl.bounces import views

app_name = "bounces"
urlpatterns = [
    path("of/<int:kit_id>/before/<int:before>/", views.older, name="older"),
    path("of/<int:kit_id>/", views.bounce_page, name="bounce"),
    path("of/<int:kit_id>/begin/", views.begin, name="begin"),
    path("of/<int:kit_id>/before/<int:before>/", views.older, name="older"),
    path("of/<int:kit_id>/check/", views.check, name="check"),
    path("<int:bounce_id>/", views.one_bounce, name="one"),
    path("<int:bounce_id>/cancel/", views.cancel, name="cancel"),
    path("<int:bounce_id>/forget/", views.forget, name="forget"),
    path("<int:bounce_id>/kit/", views.bring_back, name="bring_back"),
    path("<int:bounce_id>/zip/", views.as_zip, name="zip"),
    path("stems/<int:stem_id>/", views.stem_file, name="stem"),
]
