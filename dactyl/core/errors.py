"""One family of errors. The text is written for the person, not for a log: what, where, what to do."""


class DactylError(Exception):
    """Root of the core's own errors."""


class AudioError(DactylError):
    """A sound file that cannot be used, with the reason."""


class KitError(DactylError):
    """A value that no kit can hold."""


class PartError(DactylError):
    """A part, or a MIDI file, that cannot be read."""


class BounceError(DactylError):
    """A bounce that cannot be made."""
