"""Settings: every one of them once, with its default, its range and what it is for; read from the environment at the
start and handed down from there. docs/settings.md is checked against this list."""

import os
from collections.abc import Mapping
from dataclasses import dataclass, fields
from typing import Any

from .core.errors import SettingError
from .core.plain import checked, number, text

PREFIX = "DUSK_LAMP_"


@dataclass(frozen=True)
class Settings:
    """Each can be set in the environment as DUSK_LAMP_<NAME>."""

    upload_limit_mb: int = number(300, 1, 4000, "the largest file that may be dropped on the shelf", "MB")
    most_samples: int = number(0, 0, 2_000_000, "the most samples a sculpt is laid out in; 0 for as many as it needs")
    trusted_hosts: str = text(
        "", (0, 2000), "names this bench is reached by, besides those of loopback, with commas between"
    )
    passphrase: str = text("", (0, 1000), "what is asked for to log in; needed beyond this machine")
    secure_cookies: int = number(
        0, 0, 1, "1 where a proxy in front speaks TLS: cookies are then sent over nothing else"
    )
    cache_limit_gb: int = number(
        5, 1, 10_000, "how large the cache of computed fields may grow; the oldest go first", "GB"
    )
    job_memory_gb: int = number(8, 1, 1000, "how much memory a job may take", "GB")
    job_minutes: int = number(30, 1, 10_000, "how long a job may take", "minutes")
    request_s: int = number(120, 5, 3600, "how long a request may take before the pages are started again", "s")
    database: str = text(
        "", (0, 500), "where everything is kept: postgresql+psycopg://… for many machines; empty for a file"
    )
    files: str = text(
        "",
        (0, 500),
        "where files are kept for many machines: a folder all of them see, or s3://…; empty for the data folder",
    )
    secret: str = text(
        "", (0, 200), "what signs cookies on many machines, the same on each; empty: made and kept in a file"
    )
    accounts: int = number(0, 0, 1, "1 for a bench of many painters, each with a name and a passphrase")
    proxies: int = number(0, 0, 5, "how many proxies stand in front: they say who asks, and whether by TLS")
    quota_gb: float = number(0, 0, 100_000, "how much the files of one painter may take; 0 for no limit", "GB")
    quota_jobs: int = number(0, 0, 10_000, "how many jobs of one painter may wait at a time; 0 for no limit")
    metrics: int = number(0, 0, 1, "1 to tell at /metrics how the bench does (Prometheus)")
    logs: int = number(0, 0, 1, "1 to write a line of JSON for every request")
    broker: str = text(
        "", (0, 300), "where jobs queue: redis://… where many machines share the work; empty for a file"
    )
    room_sensor: str = text(
        "",
        (0, 500),
        "the file that the room's sensor writes its last reading to; “simulated” for the one that ships",
    )
    lease_s: int = number(30, 5, 3600, "how long a silent worker keeps its job before another takes it", "s")

    def __post_init__(self) -> None:
        checked(self)
        if self.broker and not self.broker.startswith(("redis://", "rediss://", "unix://")):
            raise SettingError("DUSK_LAMP_BROKER is an address such as redis://localhost:6379/0, or empty")


def settings_from(environ: Mapping[str, str] | None = None, **given: Any) -> Settings:
    """The settings of an environment; what is given by name wins.

    Raises:
        SettingError: one is no number, or outside its range; says which.
    """
    environ = os.environ if environ is None else environ
    values: dict[str, Any] = {}
    for f in fields(Settings):
        raw = environ.get(PREFIX + f.name.upper(), "").strip()
        if raw:
            try:
                values[f.name] = f.type(raw) if callable(f.type) else raw
            except ValueError as e:
                raise SettingError(f"{PREFIX}{f.name.upper()} is a whole number, not '{raw[:40]}'") from e
    return Settings(**{**values, **{k: v for k, v in given.items() if v is not None}})
