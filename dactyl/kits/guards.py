"""Triggers that refuse a row whose parents belong to another kit. No constraint of SQL can say this over two tables."""

from typing import Any

from django.db import connection

KIT_OF = {  # table -> the kit of a row of it, as a query of its key
    "outputgroup": "SELECT kit_id FROM kits_outputgroup WHERE id = {}",
    "output": "SELECT kit_id FROM kits_output WHERE id = {}",
    "mic": "SELECT kit_id FROM kits_mic WHERE id = {}",
    "piece": "SELECT kit_id FROM kits_piece WHERE id = {}",
    "pad": "SELECT kit_id FROM kits_pad WHERE id = {}",
    "map": "SELECT kit_id FROM kits_map WHERE id = {}",
    "chokegroup": "SELECT kit_id FROM kits_chokegroup WHERE id = {}",
    "mutegroup": "SELECT kit_id FROM kits_mutegroup WHERE id = {}",
    "surface": "SELECT kit_id FROM kits_surface WHERE id = {}",
    "translation": "SELECT kit_id FROM kits_translation WHERE id = {}",
    "take": "SELECT p.kit_id FROM kits_take t JOIN kits_layer l ON l.id = t.layer_id "
    "JOIN kits_pad p ON p.id = l.pad_id WHERE t.id = {}",
}
OF_ONE_KIT = [  # (table, column, its parent's table, what else tells the kit: a column and its table, or the row's own)
    ("output", "group_id", "outputgroup", None),
    ("mic", "output_id", "output", None),
    ("piece", "output_id", "output", None),
    ("pad", "piece_id", "piece", None),
    ("pad", "output_id", "output", None),
    ("pad", "choke_id", "chokegroup", None),
    ("padmute", "group_id", "mutegroup", ("pad_id", "pad")),
    ("piecemic", "mic_id", "mic", ("piece_id", "piece")),
    ("companion", "other_id", "pad", ("pad_id", "pad")),
    ("mapnote", "pad_id", "pad", ("map_id", "map")),
    ("cell", "pad_id", "pad", ("surface_id", "surface")),
    ("deviceuse", "surface_id", "surface", None),
    ("deviceuse", "map_id", "map", None),
    ("translationnote", "pad_id", "pad", ("translation_id", "translation")),
    ("takesample", "mic_id", "mic", ("take_id", "take")),
]


def remove(**kwargs: Any) -> None:
    """Before migrations: a table that is made anew while triggers read it would make its migration fail."""
    with connection.cursor() as cursor:
        cursor.execute("SELECT name FROM sqlite_master WHERE type = 'trigger' AND name LIKE 'of_one_kit_%'")
        for (name,) in cursor.fetchall():
            cursor.execute(f"DROP TRIGGER {name}")


def install(**kwargs: Any) -> None:
    """After each migration: a table that a migration makes anew has lost its triggers."""
    with connection.cursor() as cursor:
        for table, column, parent, owner in OF_ONE_KIT:
            own = f"({KIT_OF[owner[1]].format('NEW.' + owner[0])})" if owner else "NEW.kit_id"
            for event in ("INSERT", "UPDATE"):
                name = f"of_one_kit_{table}_{column}_{event.lower()}"
                cursor.execute(f"DROP TRIGGER IF EXISTS {name}")
                cursor.execute(
                    f"CREATE TRIGGER {name} BEFORE {event} ON kits_{table} "
                    f"WHEN ({KIT_OF[parent].format('NEW.' + column)}) <> {own} "
                    f"BEGIN SELECT RAISE(ABORT, '{table}.{column} belongs to another kit'); END"
                )
