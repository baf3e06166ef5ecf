"""Shade functions are printed by their names, so no two may share one."""

import importlib
import pkgutil

import whorl.fields
from whorl.shade.function import ShadeFunction


def test_no_two_shade_functions_share_a_name():
    owner: dict[str, str] = {}
    for module in pkgutil.iter_modules(whorl.fields.__path__):
        for value in vars(importlib.import_module(f"whorl.fields.{module.name}")).values():
            if isinstance(value, ShadeFunction):
                assert owner.setdefault(value.tree.name, value.__module__) == value.__module__, value.tree.name
    assert len(owner) > 150
