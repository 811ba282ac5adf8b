from django.urls import path

from dactyl.parts import views

app_name = "parts"
KIT, PART = "of/<int:kit_id>/", "<int:part_id>/"
urlpatterns = [
    path(KIT, views.part_page, name="part"),
    path(KIT + "new/", views.new, name="new"),
    path(KIT + "read/", views.read, name="read"),
    path("read/", views.read_anywhere, name="read_anywhere"),
    path(KIT + "lanes/", views.lanes, name="lanes"),
    path(KIT + PART + "duplicate/", views.duplicate, name="duplicate"),
    path(KIT + PART + "delete/", views.delete, name="delete"),
    path(KIT + PART + "split/", views.split, name="split"),
    path(KIT + PART + "midi/", views.midi, name="midi"),
    path(KIT + PART + "score/long/", views.long_score, name="long_score"),
    path(KIT + PART + "score/", views.score, name="score"),
    path(KIT + PART + "curves/", views.curves_file, name="curves"),
    path(PART + "data/", views.data, name="data"),
    path(PART + "changes/", views.changes, name="changes"),
    path(PART + "undo/", views.undo, name="undo"),
    path(PART + "redo/", views.redo, name="redo"),
    path(PART + "history/<int:revision_id>/", views.go_to, name="go_to"),
    path(PART + "choose/", views.choose, name="choose"),
    path(PART + "record/", views.record, name="record"),
    path(PART + "written-for/", views.written_for, name="written_for"),
    path(PART + "translate/for/<int:kit_id>/", views.write_translation, name="write_translation"),
    path(PART + "passes/<int:pass_id>/<str:what>/", views.set_pass, name="set_pass"),
    path(PART + "preview/<str:what>/", views.preview, name="preview"),
    path(PART + "edit/<str:what>/", views.edit, name="edit"),
]
