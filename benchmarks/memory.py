"""What the server keeps in memory over a day of edits: a thousand, of one hit and of all hits of a part, from one page."""

import json
import random
from dataclasses import replace
from http.client import HTTPConnection
from urllib.parse import urlsplit

from benchmarks.large import own_data
from benchmarks.measured import Row, sized
from benchmarks.parts import part_of
from dactyl.core.parts.curves import Curve

EDITS, FIRST = sized(1000, 6), sized(400, 3)
SPAN = sized(
    300, 2
)  # what stays is the least within so many edits, of the last ones and of those before FIRST: caches of twelve
# connections fill meanwhile, by a few MB
HITS, POINTS = sized(50_000, 200), 500
EVERY = sized(40, 2)  # how often all hits are edited


def rows() -> list[Row]:
    with own_data() as data:
        from dactyl.keeping.collecting import resident_bytes
        from dactyl.parts import blocks, edits
        from dactyl.site.tests.served import Server

        points = tuple((100 * n, -float(n % 20)) for n in range(POINTS))
        part = edits.add_part(
            replace(part_of(HITS), curves=tuple(Curve(f"lane:{n}", "gain_db", points) for n in range(36, 48)))
        )
        ids = blocks.rows(part)["id"].tolist()
        served = Server(data)
        served.start()
        try:
            post = _poster(served, part.pk)
            dice, had = random.Random(1), {}
            for n in range(1, EDITS + 1):
                if n % EVERY:
                    post("edit/draw", {"events": [[n, 50, 90, 9, 60]]})
                else:
                    asked = {"strength": dice.randrange(101), "swing": dice.randrange(50, 76)}
                    post("edit/tighten", {"ids": ids, "grid": "1/16", "closer_ms": 0, "further_ms": 0, **asked})
                had[n] = resident_bytes(served.process_id)
        finally:
            served.stop()
    early, late = (min(had[n] for n in range(last - SPAN + 1, last + 1)) for last in (FIRST, EDITS))
    figure = f"{late >> 20} MB after {EDITS:,} edits of {HITS:,} hits, {early >> 20} MB after {FIRST:,}"
    return [Row("Memory of the server", figure, late / early, "at most 1.2 x", late <= 1.2 * early)]


def _poster(served, part: int):
    """Posts edits one after the other, each at the version that the last answer told."""
    served.ask("/").close()
    token = next(cookie.value for cookie in served.cookies if cookie.name == "csrftoken")
    cookies = "; ".join(f"{cookie.name}={cookie.value}" for cookie in served.cookies)
    connection, version = HTTPConnection(urlsplit(served.url).netloc, timeout=60), [0]

    def post(what: str, values: dict) -> None:
        headers = {
            "Content-Type": "application/json", "X-CSRFToken": token, "Cookie": cookies, "X-Rate": "48000",
            "X-Part-Version": str(version[0]),
        }  # fmt: skip
        connection.request("POST", f"/parts/{part}/{what}/", json.dumps(values), headers)
        answer = connection.getresponse()
        body = answer.read()
        assert answer.status == 200, body[:300]
        version[0] = json.loads(body)["version"]

    connection.request("GET", f"/parts/{part}/data/", headers={"Cookie": cookies, "X-Rate": "48000"})
    version[0] = json.loads(connection.getresponse().read())["version"]
    return post
