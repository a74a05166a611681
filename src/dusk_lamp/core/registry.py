"""Registries: every file of a folder that has one of a thing, found by its name; nothing else has to be changed for
it."""

from collections.abc import Mapping
from importlib import import_module
from pkgutil import iter_modules
from types import MappingProxyType
from typing import Any


def registered(package: str, attribute: str) -> Mapping[str, Any]:
    """What the modules of a package hold under an attribute, by its `name`, in the order of its `order`."""
    folder = import_module(package)
    found = [import_module(f"{package}.{info.name}") for info in iter_modules(folder.__path__)]
    known = sorted((getattr(m, attribute) for m in found if hasattr(m, attribute)), key=lambda one: one.order)
    return MappingProxyType({one.name: one for one in known})
