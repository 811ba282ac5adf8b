from django.urls import path

from dactyl.sets import views

app_name = "sets"
KIT = "<int:kit_id>/"
urlpatterns = [
    path(KIT + "sets/", views.page, name="sets"),
    path(KIT + "sets/new/", views.new, name="new_set"),
    path(KIT + "sets/<int:set_id>/<str:what>/", views.change, name="change_set"),
    path("sets/<int:set_id>/", views.of, name="set"),
]
