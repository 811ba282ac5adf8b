"""``dactyl``: the core from a shell. It knows nothing of the web application.

Exit codes: 0 all went well; 1 something could not be used or written; 2 the call itself was wrong.
"""

import argparse
import errno
import sys
from collections.abc import Sequence

from dactyl.cli import bounce, convert, listen, stack
from dactyl.core.errors import DactylError

COMMANDS = (listen, stack, convert, bounce)


def main(arguments: Sequence[str] | None = None) -> int:
    parser = argparse.ArgumentParser(prog="dactyl", description="A workshop for sampled drum kits.")
    commands = parser.add_subparsers(dest="command", required=True, metavar="COMMAND")
    for command in COMMANDS:
        command.add_to(commands)
    asked = parser.parse_args(arguments)
    try:
        return asked.run(asked)
    except DactylError as problem:
        print(f"dactyl: {problem}", file=sys.stderr)
    except OSError as problem:
        what_to_do = " Make room, or write elsewhere." if problem.errno == errno.ENOSPC else ""
        where = problem.filename or "The disk"
        print(f"dactyl: {where}: {problem.strerror or problem}.{what_to_do}", file=sys.stderr)
    except KeyboardInterrupt:
        print("dactyl: stopped; nothing half-done was left.", file=sys.stderr)
    return 1
