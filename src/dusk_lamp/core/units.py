"""Units: pressures, volumes and drops, lengths and films, and how they are written at the bench."""

KPA_PER_PSI = 6.894757  # NIST SP 811
DROPS_PER_ML = 22.0  # a dropper bottle's drop is about 0.045 ml, from memory; count yours
THIN_SPACE = "\u202f"  # between thousands, where no line may break


def kpa(psi: float) -> float:
    """A pressure in kPa."""
    return psi * KPA_PER_PSI


def psi_words(low: float, high: float | None = None) -> str:
    """A pressure, or a range of it, in both units: “20–25 psi (138–172 kPa)”."""
    if high is None or high == low:
        return f"{low:.0f} psi ({kpa(low):.0f} kPa)"
    return f"{low:.0f}–{high:.0f} psi ({kpa(low):.0f}–{kpa(high):.0f} kPa)"


def film_ml(film_um_mm2: float) -> float:
    """ml of a film, given as µm × mm² (1000 of which are 1 mm³, and 1000 mm³ are 1 ml)."""
    return film_um_mm2 / 1e6


def ml_words(ml: float) -> str:
    """“1.39”; “< 0.01” of what is used but too little to be shown in hundredths."""
    return f"{ml:.2f}" if ml >= 0.005 or not ml else "< 0.01"


def grouped(number: float, digits: int = 0) -> str:
    """A number with thin spaces between thousands."""
    return f"{number:,.{digits}f}".replace(",", THIN_SPACE)


def per_cent(share: float) -> str:
    """“25 %”, with a space where no line may break."""
    return f"{100 * share:.0f}\u00a0%"


def counted(count: float, one: str, many: str) -> str:
    """“1 drop”, “3 drops”."""
    return f"{count:g} {one if count == 1 else many}"


def left_words(seconds: float) -> str:
    """How long something takes yet, no finer than it is known: “a few seconds left”, “about 40 s left”,
    “about 3 min left”."""
    if seconds < 8:
        return "a few seconds left"
    if seconds < 90:
        return f"about {max(10, 10 * round(seconds / 10))} s left"
    return f"about {round(seconds / 60)} min left"


NUMBERS = ("No", "One", "Two", "Three", "Four", "Five", "Six", "Seven", "Eight", "Nine", "Ten")


def number_word(count: int) -> str:
    """“Two” at the head of a sentence; “12” from eleven on."""
    return NUMBERS[count] if 0 <= count < len(NUMBERS) else str(count)


def minutes_words(minutes: float) -> str:
    """“40 s”, “12 min”, “2 h 05 min”, “a day”."""
    if minutes < 1:
        return f"{60 * minutes:.0f} s"
    if minutes < 90:
        return f"{minutes:.0f} min"
    hours, rest = divmod(round(minutes), 60)
    return f"{hours} h {rest:02d} min" if rest else f"{hours} h"
