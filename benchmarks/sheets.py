"""The sheet, the playbook and an edit of a kit of 128 x 8 x 8 takes and three mics; preparing a take."""

import json
import pickle
import sqlite3
import time
import zlib
from typing import Any

import numpy as np
import soxr

from benchmarks.large import LAYERS, MICS, PADS, TAKES, large_kit, own_data
from benchmarks.measured import Row, against, ratio_row, seconds
from dactyl.core.audio.prepare import Recipe, prepare
from dactyl.core.play.compile import compile_kit

MOST_QUERIES = 30


def rows() -> list[Row]:
    with own_data() as data:
        kit = large_kit()
        return [_compile(kit), _sheet(kit, data), *_edit(kit), *_versions(kit, data), _prepare()]


def _compile(kit) -> Row:
    from dactyl.kits.values import kit_value

    value = kit_value(kit.pk)
    book = compile_kit(value, 48_000)
    work, floor = against(lambda: compile_kit(value, 48_000), lambda: pickle.loads(pickle.dumps(book)))
    return ratio_row(f"Playbook of {PADS} pads", work, floor, 3.0, "copying the finished table by pickle")


def _sheet(kit, data) -> Row:
    """The whole page against reading the same rows with bare sqlite3."""
    from django.test import Client

    client = Client(HTTP_HOST="127.0.0.1")
    path = f"/kits/{kit.pk}/"
    assert client.get(path).status_code == 200

    def bare() -> None:
        with sqlite3.connect(data / "dactyl.sqlite3") as database:
            for table in ("kits_pad", "kits_piece", "kits_layer", "kits_take", "kits_mapnote"):
                database.execute(f"select * from {table}").fetchall()
            database.execute(
                "select t.take_id, s.level_db from kits_takesample t join shelf_sample s on s.id = t.sample_id"
            ).fetchall()

    work, floor = against(lambda: client.get(path), bare)
    takes = PADS * LAYERS * TAKES
    return ratio_row(f"Sheet of {takes:,} takes, {takes * len(MICS):,} files", work, floor, 12.0, "bare sqlite3")


def _edit(kit) -> list[Row]:
    """The queries of one edit and its answer, and of the tables that the page fetches after it."""
    from django.db import connection
    from django.test import Client
    from django.test.utils import CaptureQueriesContext

    from dactyl.kits.models import Kit, Take

    client = Client(HTTP_HOST="127.0.0.1")
    pad = kit.pads.first()
    take = Take.objects.filter(layer__pad=pad).first()
    worst, slowest = ("", 0, 0), 0.0
    for path in (f"pads/{pad.pk}/set/gain_db/", f"pads/{pad.pk}/set/tune_cents/", f"takes/{take.pk}/set/gain_db/"):
        version = Kit.objects.values_list("journal__version", flat=True).get(pk=kit.pk)
        headers = {"X-Kit-Version": str(version), "X-Selected-Pads": str(pad.pk), "HX-Request": "true"}
        with CaptureQueriesContext(connection) as captured:
            begun = time.perf_counter()
            answer = client.post(f"/kits/{kit.pk}/{path}", {"value": "-3"}, headers=headers)
            own = _counted(captured)
            tables = client.get(f"/kits/{kit.pk}/playbook/48000/?pads={pad.pk}")
            slowest = max(slowest, time.perf_counter() - begun)
        assert (answer.status_code, tables.status_code) == (200, 200)
        worst = max(worst, (path, own, _counted(captured)), key=lambda row: row[2])
    whole = seconds(lambda: client.get(f"/kits/{kit.pk}/playbook/48000/"))
    return [
        Row(
            "Edit and the tables after it, queries",
            f"{worst[1]} and {worst[2] - worst[1]}, {worst[0]}",
            None,
            f"at most {MOST_QUERIES} in all",
            worst[2] <= MOST_QUERIES,
        ),
        ratio_row("Edit and the tables of its pad", slowest, whole, 0.25, "the tables of the whole kit"),
    ]


def _versions(kit, data) -> list[Row]:
    """Keeping one against writing the same rows as bare JSON, comparing two against reading that JSON twice; its size."""
    from dactyl.core.compare import compare
    from dactyl.versions import edits as versions

    def bare() -> bytes:
        with sqlite3.connect(data / "dactyl.sqlite3") as database:
            takes = database.execute("select * from kits_take").fetchall()
            heard = database.execute(
                "select t.take_id, t.mic_id, s.sha256, s.frames, s.rate_hz, s.channels"
                " from kits_takesample t join shelf_sample s on s.id = t.sample_id"
            ).fetchall()
        return zlib.compress(json.dumps([takes, heard]).encode(), 1)

    rows = bare()
    keep, floor = against(lambda: versions.keep(kit, ""), bare)
    first, second = kit.versions.all()[:2]
    comparing, read = against(
        lambda: compare(versions.value_of(first), versions.value_of(second)),
        lambda: [json.loads(zlib.decompress(rows)) for _ in range(2)],
    )
    size = len(first.snapshot) / 1e6
    return [
        ratio_row(f"Keeping a version, {keep * 1000:.0f} ms", keep, floor, 3.0, "its rows as bare JSON"),
        ratio_row(
            f"Comparing two versions, {comparing * 1000:.0f} ms", comparing, read, 8.0, "reading that JSON twice"
        ),
        Row("Size of a version", f"{size:.2f} MB", None, "under 3 MB", size < 3),
    ]


def _counted(captured: Any) -> int:
    """Statements that read or write rows."""
    return sum(query["sql"].startswith(("SELECT", "INSERT", "UPDATE", "DELETE")) for query in captured.captured_queries)


def _prepare() -> Row:
    """A take of 2 s in stereo, trimmed and tuned, from 44.1 to 48 kHz."""
    rng = np.random.default_rng(2)
    audio = rng.normal(0, 0.1, (2, 2 * 44_100)).astype(np.float32)
    recipe = Recipe("0" * 64, 44_100, 2, 300, 2 * 44_100, 48_000, tune_cents=-150.0)
    turned = np.ascontiguousarray(audio[:, 300:].T)
    read_hz = 44_100 * 2 ** (-150 / 1200)
    work, floor = against(
        lambda: [prepare(audio, recipe) for _ in range(20)],
        lambda: [soxr.resample(turned, read_hz, 48_000, quality="VHQ") for _ in range(20)],
    )
    return ratio_row("Preparing 20 takes of 2 s", work, floor, 3.0, "soxr alone")
