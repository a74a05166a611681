"""Registries: every file of a folder that has one of a thing, found by its name; nothing else has to be changed for
it."""

from collections.abc import Iterable, Mapping
from importlib import import_module
from pkgutil import iter_modules
from types import MappingProxyType, ModuleType
from typing import Any


def registered(package: str, attribute: str) -> Mapping[str, Any]:
    """What the modules of a package hold under an attribute, by its `name`, in the order of its `order`.

    Raises:
        RegistryError: two of them have the same name.
    """
    folder = import_module(package)
    found = [import_module(f"{package}.{info.name}") for info in iter_modules(folder.__path__)]
    return _by_name([m for m in found if hasattr(m, attribute)], attribute)


def registered_below(package: str, module: str, attribute: str) -> Mapping[str, Any]:
    """The same of the folders of a package: each holds a module of a name with that attribute.

    Raises:
        RegistryError: a folder lacks it, or two have the same name.
    """
    folder = import_module(package)
    found = []
    for info in iter_modules(folder.__path__):
        if info.ispkg:
            path = f"{package}.{info.name}.{module}"
            try:
                found.append(import_module(path))
            except ModuleNotFoundError as e:
                if e.name != path:
                    raise
                raise RegistryError(f"{info.name}/{module}.py is missing below {folder.__path__[0]}") from e
            if not hasattr(found[-1], attribute):
                raise RegistryError(f"{found[-1].__file__} has no {attribute}")
    return _by_name(found, attribute)


def _by_name(modules: Iterable[ModuleType], attribute: str) -> Mapping[str, Any]:
    by_name: dict[str, Any] = {}
    where: dict[str, Any] = {}
    for module in modules:
        entry = getattr(module, attribute)
        if entry.name in by_name:
            raise RegistryError(f"{module.__file__} is called “{entry.name}”, as {where[entry.name]} is")
        by_name[entry.name], where[entry.name] = entry, module.__file__
    return MappingProxyType(dict(sorted(by_name.items(), key=lambda item: item[1].order)))


class RegistryError(RuntimeError):
    """A file of a registry is missing, has nothing to give, or has the name of another: an error of the program."""
