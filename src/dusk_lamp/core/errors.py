"""The errors the core raises, all below DuskLampError. Each message says what happened and what to do next."""


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
