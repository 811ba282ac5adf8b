"""The tables of a kit that its history records, by the names that revisions keep, and what hangs on what."""

from dactyl.kits.models import (
    ChokeGroup,
    Companion,
    Kit,
    Layer,
    Map,
    MapNote,
    Mic,
    MuteGroup,
    Output,
    Pad,
    Piece,
    PieceMic,
    Proposal,
    Take,
    TakeSample,
)

TABLES = {
    "kit": Kit,
    "output": Output,
    "mic": Mic,
    "choke": ChokeGroup,
    "mute": MuteGroup,
    "piece": Piece,
    "piece_mic": PieceMic,
    "pad": Pad,
    "companion": Companion,
    "map": Map,
    "note": MapNote,
    "layer": Layer,
    "take": Take,
    "take_sample": TakeSample,
    "proposal": Proposal,
}
CHILDREN = {
    Piece: [(PieceMic, "piece_id"), (Pad, "piece_id")],
    Pad: [(MapNote, "pad_id"), (Companion, "pad_id"), (Companion, "other_id"), (Layer, "pad_id")],
    Map: [(MapNote, "map_id")],
    Mic: [(PieceMic, "mic_id"), (TakeSample, "mic_id")],
    Layer: [(Take, "layer_id")],
    Take: [(TakeSample, "take_id")],
}
