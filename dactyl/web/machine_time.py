"""Times on pages are the machine's own, whatever form its zone is told in: a name, a file, or a rule of POSIX.

Django takes the zone of its setting for the whole process; here it is given back, and asked of the system
(``localtime``, POSIX.1-2017, which reads the variable TZ or /etc/localtime).
"""

import os
import time
from collections.abc import Callable
from datetime import UTC, datetime, timedelta, tzinfo

from django.http import HttpRequest, HttpResponse
from django.utils import timezone


class MachineTime(tzinfo):
    def fromutc(self, moment: datetime) -> datetime:
        return moment + _offset(moment.replace(tzinfo=UTC).timestamp())

    def utcoffset(self, moment: datetime | None) -> timedelta | None:
        return None if moment is None else _offset(_timestamp(moment))

    def dst(self, moment: datetime | None) -> timedelta | None:
        return None

    def tzname(self, moment: datetime | None) -> str | None:
        return None if moment is None else time.localtime(_timestamp(moment)).tm_zone


def _timestamp(moment: datetime) -> float:
    return time.mktime((*moment.timetuple()[:6], 0, 0, -1))


def _offset(timestamp: float) -> timedelta:
    return timedelta(seconds=time.localtime(timestamp).tm_gmtoff)


def give_back(zone: str | None) -> None:
    """Undo what Django does to the zone of the process. zone : the variable TZ as it was before"""
    os.environ.pop("TZ", None)
    if zone is not None:
        os.environ["TZ"] = zone
    time.tzset()


class InMachineTime:
    """Middleware."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        with timezone.override(MachineTime()):
            return self.get_response(request)
