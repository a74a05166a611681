"""A room's sensor: a reading of a real one, as JSON, and a simulated one that ships.

A reading is {"temperature": °C, "humidity": %}; the names "celsius", "t", "relative_humidity" and "rh", which sensors
use, are read too.
"""

import hashlib
import json
import math
from pathlib import Path
from typing import Any

from ..errors import SettingError
from ..plain import built
from .room import Room

SIMULATED = "simulated"
NAMES = {
    "temperature": ("temperature", "celsius", "t"),
    "humidity": ("humidity", "relative_humidity", "rh"),
}
LONGEST = 4000  # letters of a reading
# a heated room in winter; from memory
MEAN_C, SWING_C, WARMEST_H = 20.0, 1.8, 16.0
MEAN_DAMP, DAMP_PER_C = 46.0, -2.5  # the same air holds more when it is warmer
NOISE_C, NOISE_DAMP = 0.2, 1.0  # of a cheap sensor, at most


def reading_from(text: str) -> Room:
    """What a sensor wrote.

    Raises:
        SettingError: it is no JSON, or says nothing of temperature or damp, or is out of range.
    """
    try:
        given = json.loads(text[:LONGEST])
    except ValueError as e:
        raise SettingError("the sensor's reading is no JSON such as {“temperature”: 20, “humidity”: 50}") from e
    if not isinstance(given, dict):
        raise SettingError("the sensor's reading is no JSON such as {“temperature”: 20, “humidity”: 50}")
    known = {str(k).casefold(): v for k, v in given.items()}
    found: dict[str, Any] = {}
    for name, words in NAMES.items():
        value = next((known[w] for w in words if w in known), None)
        if isinstance(value, bool) or not isinstance(value, int | float):
            raise SettingError(f"the sensor's reading has no {name}")
        found[name] = round(float(value), 1)
    return built(Room, found, "the sensor's reading")


def read(sensor: str, minutes: float) -> Room:
    """What a sensor reads: the last reading in its file, or the simulated one's so many minutes after midnight.

    Raises:
        SettingError: there is none, it cannot be read, or what it wrote is no reading.
    """
    if not sensor:
        raise SettingError("no room sensor is set up; see DUSK_LAMP_ROOM_SENSOR in the settings")
    if sensor == SIMULATED:
        return simulated(minutes)
    try:
        with Path(sensor).open(encoding="utf-8", errors="replace") as f:
            return reading_from(f.read(LONGEST))
    except OSError as e:
        raise SettingError(f"the room's sensor cannot be read: {e.strerror or e}") from e


def simulated(minutes: float, seed: int = 1) -> Room:
    """What the simulated sensor reads so many minutes after midnight: warmest in the afternoon, dampest in the small
    hours, with a sensor's noise. The same minute, the same reading."""
    hours = (minutes / 60) % 24
    off = SWING_C * math.cos(2 * math.pi * (hours - WARMEST_H) / 24)
    noise = [b / 127.5 - 1 for b in hashlib.sha256(f"{seed} {int(minutes)}".encode()).digest()[:2]]
    temperature = MEAN_C + off + NOISE_C * noise[0]
    return Room(round(temperature, 1), round(MEAN_DAMP + DAMP_PER_C * off + NOISE_DAMP * noise[1], 1))
