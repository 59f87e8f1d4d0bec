"""Every public member of the core says what it is, and every worked example in it runs."""

from __future__ import annotations

import doctest
import importlib
import inspect
import pkgutil

import pytest

import lowhiss.core

MODULES = [importlib.import_module(m.name) for m in pkgutil.walk_packages(lowhiss.core.__path__, "lowhiss.core.")]


@pytest.mark.parametrize("module", MODULES, ids=lambda m: m.__name__)
def test_public_members_have_docstrings(module):
    assert module.__doc__
    for name, member in vars(module).items():
        if name.startswith("_") or getattr(member, "__module__", None) != module.__name__:
            continue
        if inspect.isfunction(member) or inspect.isclass(member):
            assert member.__doc__, f"{module.__name__}.{name}"


@pytest.mark.parametrize("module", MODULES, ids=lambda m: m.__name__)
def test_examples_in_docstrings_run(module):
    assert doctest.testmod(module).failed == 0
