"""Triggers that refuse a hit of another part's pass: the pass goes with its own part, and undoing it would fail here."""

from typing import Any

from django.db import connection

EVENTS = ("insert", "update")


def remove(**kwargs: Any) -> None:
    """Before migrations: a table that is made anew while triggers read it would make its migration fail."""
    with connection.cursor() as cursor:
        for event in EVENTS:
            cursor.execute(f"DROP TRIGGER IF EXISTS of_one_part_{event}")


def install(**kwargs: Any) -> None:
    """After each migration: a table that a migration makes anew has lost its triggers."""
    remove()
    with connection.cursor() as cursor:
        for event in EVENTS:
            cursor.execute(
                f"CREATE TRIGGER of_one_part_{event} BEFORE {event} ON parts_event WHEN NEW.of_pass_id IS NOT NULL "
                "AND (SELECT part_id FROM parts_pass WHERE id = NEW.of_pass_id) <> NEW.part_id "
                "BEGIN SELECT RAISE(ABORT, 'event.of_pass belongs to another part'); END"
            )
