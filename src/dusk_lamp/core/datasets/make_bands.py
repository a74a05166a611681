"""Writes bands.csv: `python -m dusk_lamp.core.datasets.make_bands`. Needs colour-science, a build-time package.

The tables are shipped rather than read from the package at every start: the package takes a second to load.
"""

import csv
import warnings
from pathlib import Path

import numpy as np

WAVELENGTHS = np.arange(380, 731, 10)
DUSK_KELVIN = 9000.0  # the sky after sunset, by the CIE daylight series
HERE = Path(__file__).parent


def table() -> dict[str, np.ndarray]:
    """Every column over the 36 bands, from the published tables as colour-science carries them."""
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        import colour
        from colour.recovery import MSDS_BASIS_FUNCTIONS_sRGB_MALLETT2019 as BASIS

    def picked(distribution) -> np.ndarray:
        return np.asarray(distribution[WAVELENGTHS.astype(float)], float)

    basis = picked(BASIS)
    observer = picked(colour.MSDS_CMFS["CIE 1931 2 Degree Standard Observer"])
    xy = colour.temperature.CCT_to_xy_CIE_D(DUSK_KELVIN)
    dusk = colour.sd_CIE_illuminant_D_series(xy)
    return {
        "nm": WAVELENGTHS.astype(float),
        "red": basis[:, 0],
        "green": basis[:, 1],
        "blue": basis[:, 2],
        "x": observer[:, 0],
        "y": observer[:, 1],
        "z": observer[:, 2],
        "daylight": picked(colour.SDS_ILLUMINANTS["D65"]),
        "lamp": picked(colour.SDS_ILLUMINANTS["A"]),
        "dusk": picked(dusk),
    }


def main() -> None:
    """Write the table beside this file."""
    columns = table()
    with (HERE / "bands.csv").open("w", newline="") as f:
        out = csv.writer(f, lineterminator="\n")
        out.writerow(columns)
        out.writerows([f"{v:.8g}" for v in row] for row in zip(*columns.values(), strict=True))


if __name__ == "__main__":
    main()
