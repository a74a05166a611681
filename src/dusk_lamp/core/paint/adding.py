"""Mixing by adding: the next mix out of the one that is there and drops of one more pot (CP-21, CP-22, CP-34)."""

MOST_TIMES = 60  # of a mix's parts that are tried


def grown(has: dict[str, int], puddle: dict[str, int], wants: float) -> tuple[int, dict[str, int]] | None:
    """How many drops of a puddle, and of one pot, make a mix: (drops taken, {pot: drops}); None where it cannot
    be."""
    if set(has) - set(puddle) or len(puddle) != 2 or has == puddle:
        return None
    whole = sum(has.values())
    for name, part in puddle.items():
        other = next(n for n in puddle if n != name)  # it comes from the puddle alone
        if not has.get(other):
            continue
        for times in range(1, MOST_TIMES):
            taken = {n: c * times for n, c in has.items()}
            wanted = taken[other] * part / puddle[other] - taken.get(name, 0)
            if wanted >= 1 and wanted == int(wanted) and whole * times + wanted >= wants:
                return whole * times, {name: int(wanted)}
    return None
