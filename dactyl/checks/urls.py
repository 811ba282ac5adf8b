from django.urls import path

from dactyl.checks import views

app_name = "checks"
KIT = "<int:kit_id>/check/"
urlpatterns = [
    path(KIT, views.page, name="check"),
    path(KIT + "ask/", views.ask, name="ask"),
    path(KIT + "mend/", views.mend, name="mend"),
    path(KIT + "leave/", views.leave, name="leave"),
    path(KIT + "take-up/", views.take_up, name="take_up"),
    path(KIT + "picture/<str:key>/", views.picture, name="picture"),
]
