"""The core's own errors as an answer a person can read, wherever no view has caught them."""

from collections.abc import Callable

from django.http import HttpRequest, HttpResponse

from dactyl.core.errors import DactylError
from dactyl.site.views import sentence


class PlainErrors:
    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        return self.get_response(request)

    def process_exception(self, request: HttpRequest, problem: Exception) -> HttpResponse | None:
        return sentence(request, str(problem), 422) if isinstance(problem, DactylError) else None
