"""``dactyl``: the core from a shell. It knows nothing of the web application.

Exit codes: 0 all went well; 1 something could not be used or written; 2 the call itself was wrong.
"""

import errno
import sys
from collections.abc import Sequence
from importlib import import_module
from io import TextIOWrapper

from dactyl.cli.calls import parse
from dactyl.core.errors import DactylError


def main(arguments: Sequence[str] | None = None) -> int:
    asked = parse(arguments)
    if isinstance(sys.stdout, TextIOWrapper):  # a file's name may be any bytes
        sys.stdout.reconfigure(errors="backslashreplace")
    try:
        return import_module(f"dactyl.cli.{asked.verb}").run(asked)
    except DactylError as problem:
        print(f"dactyl: {problem}", file=sys.stderr)
    except OSError as problem:
        what_to_do = " Make room, or write elsewhere." if problem.errno == errno.ENOSPC else ""
        where = problem.filename or "The disk"
        print(f"dactyl: {where}: {problem.strerror or problem}.{what_to_do}", file=sys.stderr)
    except KeyboardInterrupt:
        print("dactyl: stopped; nothing half-done was left.", file=sys.stderr)
    return 1
