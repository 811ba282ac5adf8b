"""What the desk does to each stem, in words, for a person who is about to bounce."""

from dactyl.core.desk.tables import SILENT_DB
from dactyl.core.kit import HALL, Kit, Output


def desk_words(kit: Kit) -> dict[str, str]:
    """Output -> what is done to it, by the outputs to which anything is done."""
    groups = {name: group for group in kit.groups for name in group.outputs}
    said = {output.name: ", ".join(_words(kit, output, groups.get(output.name))) for output in kit.outputs}
    return {name: words for name, words in said.items() if words}


def all_words(kit: Kit) -> str:
    """What is done to all of them."""
    words = [f"the master {_db(kit.master_db)}"] if kit.master_db else []
    words += ["heard from the hall"] if kit.side == HALL else []
    return ", ".join(words)


def _words(kit: Kit, output: Output, group) -> list[str]:
    if output.muted or (group and group.muted):
        return ["muted" if output.muted else f"muted with {group.name}"]
    words = [_db(output.gain_db)] if output.gain_db else []
    words += [f"{_db(group.gain_db)} with {group.name}"] if group and group.gain_db else []
    words += (
        ["mono" if output.width == 0 else f"{output.width:.0%} wide".replace("%", " %")] if output.width != 1 else []
    )
    words += [f"{'L' if output.balance < 0 else 'R'}{abs(output.balance):.0%}".rstrip("%")] if output.balance else []
    has_amount = kit.parallel.is_on and output.parallel_db is not None and output.parallel_db > SILENT_DB
    return [*words, f"{_db(output.parallel_db)} to the parallel bus"] if has_amount else words


def _db(level: float) -> str:
    return "silent" if level <= SILENT_DB else f"{level:+.1f} dB".replace("-", "−")
