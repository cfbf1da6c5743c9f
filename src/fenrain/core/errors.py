"""Every error a user can meet: one hierarchy, each with a stable code, what happened, where, and what to do next."""

from __future__ import annotations


class FenrainError(Exception):
    """An error with a stable `code`, a `message`, the `place` it concerns and a `remedy`, each in one line whatever they quote."""

    code = "error"

    def __init__(self, message: str, *, place: str = "", remedy: str = "") -> None:
        super().__init__(message)
        self.message, self.place, self.remedy = (" ".join(part.split()) for part in (message, place, remedy))

    def __str__(self) -> str:
        parts = [f"{self.place}: " if self.place else "", self.message]
        if self.remedy:
            parts.append(f" {self.remedy}")
        return "".join(parts)

    def __reduce__(self) -> tuple[object, ...]:
        return _rebuild, (type(self), self.message, self.place, self.remedy)


def _rebuild(kind: type[FenrainError], message: str, place: str, remedy: str) -> FenrainError:
    return kind(message, place=place, remedy=remedy)


class InputError(FenrainError):
    """What was given cannot be used."""

    code = "input"


class UnknownFormatError(InputError):
    code = "unknown-format"


class BrokenFileError(InputError):
    """The file ends early or breaks the rules of its format."""

    code = "broken-file"


class UnsafePathError(InputError):
    """A reference leaves the folder of what was uploaded."""

    code = "unsafe-path"


class MissingFileError(InputError):
    code = "missing-file"


class NamesakesError(MissingFileError):
    """A file that is not where it should be, and several elsewhere of its name. choices: their paths."""

    code = "namesakes"

    def __init__(self, message: str, *, place: str = "", remedy: str = "", choices: tuple[str, ...] = ()) -> None:
        super().__init__(message, place=place, remedy=remedy)
        self.choices = choices


class ImageError(InputError):
    code = "image"


class ImageTooLargeError(ImageError):
    code = "image-too-large"


class TooLargeError(InputError):
    code = "too-large"


class ParameterError(InputError):
    """A parameter that the model does not have, or a value that it cannot take."""

    code = "parameter"


class UnknownModelError(InputError):
    code = "unknown-model"


class NotFoundError(FenrainError):
    code = "not-found"


class ConflictError(FenrainError):
    """Somebody else changed it first."""

    code = "changed-meanwhile"


class MetError(ConflictError):
    """Two changes met in the database, and this one gave way: what may be done twice can be done again."""


class NotSignedInError(FenrainError):
    """Nobody is let in by what was shown."""

    code = "not-signed-in"


class NotAllowedError(FenrainError):
    """The person may not do this."""

    code = "not-allowed"


class TooManyError(FenrainError):
    """More at once, or in a short time, than one person may ask for."""

    code = "too-many"


class PreconditionMissingError(FenrainError):
    code = "precondition-required"


class StorageError(FenrainError):
    """The disk or the database did not take it."""

    code = "storage"


class EngineError(FenrainError):
    """The rendering engine cannot run here."""

    code = "engine"


def in_a_line(error: Exception) -> str:
    """An error that is nobody's input, for people: its kind, and the first line of what it says."""
    said = str(error).splitlines()[0][:160] if str(error) else "no more is known"
    return f"{type(error).__name__}: {said}"


def describe_own_error(error: Exception) -> str:
    """An error that is nobody's input, in a line for people: what it is, and what to do; the trace is in the server's log."""
    return f"Fenrain met an error of its own ({in_a_line(error)}). Leave this one out, and report it with the server's log."
