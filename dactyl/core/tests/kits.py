"""Small kits for tests, said in one line."""

from dactyl.core.kit import ChokeGroup, Kit, Layer, Output, Pad, Piece, Sample, Take

RATE = 48_000
_ids = iter(range(1, 1_000_000))


def sample(frames: int = RATE, channels: int = 1, rate_hz: int = RATE) -> Sample:
    return Sample(f"{next(_ids):064x}", frames, rate_hz, channels)


def take(frames: int = RATE, **settings) -> Take:
    return Take(id=next(_ids), samples=(("close", sample(frames)),), **settings)


def pad(name: str = "pad", *, note: int = 38, highs=(127,), takes: int = 1, frames: int = RATE, **settings) -> Pad:
    lows = [1, *(high + 1 for high in highs)]
    layers = tuple(
        Layer(id=next(_ids), low=low, high=high, takes=tuple(take(frames) for _ in range(takes)))
        for low, high in zip(lows, highs, strict=False)
    )
    return Pad(id=next(_ids), name=name, notes=(note,), layers=layers, **settings)


def kit(*pads: Pad, outputs=("Main",), **settings) -> Kit:
    pieces = tuple(Piece(name=each.name, pads=(each,)) for each in pads)
    return Kit(name="kit", pieces=pieces, outputs=tuple(Output(name=name) for name in outputs), **settings)


CHOKE_A = ChokeGroup(letter="A", fade_ms=8)
