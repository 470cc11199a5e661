"""Boards to plan on: modules, pins and functions by short names."""

from __future__ import annotations

from uuid import UUID, uuid5

from irongauge.core.plan.board import Function, PinAt
from irongauge.core.plan.modules import FittedModule, ModulePin, ModuleType, PinKind, PullUpFitted

SPACE = UUID("7a2c8e0e-6f3b-4a44-9d36-0c5d5b9d7c11")
A, D, F = PinKind.ANALOGUE, PinKind.DIGITAL, PinKind.FREQUENCY


def pin(name, kind=A, pull_up=PullUpFitted.NONE, **more):
    figures = {} if pull_up is PullUpFitted.NONE else {"pull_up_ohm": 2200.0, "pull_up_v": 5.0}
    return ModulePin(name=name, kind=kind, most_v=more.pop("most_v", 5.0), pull_up=pull_up, **(figures | more))


def module(name, *pins):
    kind = ModuleType(uid=uuid5(SPACE, f"type {name}"), name=name, pins=pins)
    return FittedModule(uuid5(SPACE, name), name, kind)


def at(fitted, name):
    return PinAt(fitted.uid, name)


def function(name, kinds=(A,), place=None, **more):
    return Function(uid=uuid5(SPACE, name), name=name, kinds=kinds, at=place, **more)
