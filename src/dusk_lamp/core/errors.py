"""The one tree of errors the core raises. Each message says what happened and what to do next.

DuskLampError (ValueError) ├── SculptFileError     the file cannot be read as a sculpt ├── SculptShapeError    the
file was read, but what is in it cannot be painted ├── SettingError        a number or a choice is outside what makes
sense └── Stopped             the painter stopped a long piece of work
"""


class DuskLampError(ValueError):
    """Anything the painter can understand and mend."""


class SculptFileError(DuskLampError):
    """The file cannot be read as a sculpt."""


class SculptShapeError(DuskLampError):
    """The file was read, but there is nothing in it that could be painted."""


class SettingError(DuskLampError):
    """A setting is outside what makes sense at the bench."""


class Stopped(DuskLampError):
    """A long piece of work was stopped by the painter."""
