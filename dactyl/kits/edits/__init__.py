"""Every edit of a kit: one function for one sentence in its history.

An edit takes the version of the kit that the page saw, changes rows through a ``Change``, and returns the revision it
wrote, or None where it changed nothing. Several pads or takes are one edit, with one undo.
"""

from dactyl.kits.edits import (
    cuts,
    kits,
    layers,
    maps,
    outputs,
    pads,
    samples,
    shelf,
    takes,
)

__all__ = [
    "cuts",
    "kits",
    "layers",
    "maps",
    "outputs",
    "pads",
    "samples",
    "shelf",
    "takes",
]
