"""Who cites what: read off the docstrings of the calculations, in which each source stands by its key."""

from __future__ import annotations

import inspect
import pkgutil
from collections.abc import Iterator
from functools import cache
from importlib import import_module
from types import ModuleType

import mesotrope.core
from mesotrope.core.language.known import CITED

#: Rooms whose calculations must each cite a source.
CALCULATING = ("mesotrope.core.physics",)


def modules_of(package: str) -> Iterator[ModuleType]:
    """Every module under a package."""
    root = import_module(package)
    for found in pkgutil.walk_packages(root.__path__, f"{package}."):
        yield import_module(found.name)


def calculations_of(module: ModuleType) -> Iterator[tuple[str, str]]:
    """The public functions that a module defines: name and docstring."""
    for name, function in inspect.getmembers(module, inspect.isfunction):
        if function.__module__ == module.__name__ and not name.startswith("_"):
            yield name, inspect.getdoc(function) or ""


@cache
def cited_by() -> dict[str, tuple[str, ...]]:
    """For every key that is cited, the calculations that cite it, or the module where it stands for all of one.

    >>> "drag_torque_from_spin_nm" in cited_by()["physics"]
    True
    """
    out: dict[str, list[str]] = {}
    for module in modules_of(mesotrope.core.__name__):
        told = [(module.__name__.rpartition(".")[2], module.__doc__ or ""), *calculations_of(module)]
        for name, doc in told:
            for key in CITED.findall(doc):
                if name not in out.setdefault(key, []):
                    out[key].append(name)
    return {key: tuple(names) for key, names in out.items()}
