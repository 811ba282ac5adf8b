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


class KitFileError(DactylError):
    """A kit file that cannot be used: which file, which line, what is wrong, what to do."""

    def __init__(self, problem: str, hint: str = "", *, file: str, line: int = 0) -> None:
        place = f"{file}, line {line}" if line else file
        super().__init__(f"{place}: {problem} {hint}".rstrip())
        self.problem, self.hint, self.file, self.line = problem, hint, file, line
