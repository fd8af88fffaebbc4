"""Proofs and a painter's own surfaces as things that have drafts."""

from __future__ import annotations

from typing import Any

from orvix.proofs.looks import Wall
from orvix.proofs.own import Laying
from orvix_web.drafts.kinds import Kind, register
from orvix_web.proofs.models import OwnSurface, Proof
from orvix_web.proofs.own_surfaces import own_of


def _saved_wall(proof: Proof) -> Any:
    return Wall.parse(proof.latest.wall, own_of(proof.owner_id)).as_dict()


def _check_wall(owner_id: int, value: Any) -> Any:
    return Wall.parse(value, own_of(owner_id)).as_dict()


def _saved_laying(surface: OwnSurface) -> Any:
    return {"name": surface.name, "laying": Laying.parse(surface.laying).as_dict()}


def _check_laying(owner_id: int, value: Any) -> Any:
    told = value if isinstance(value, dict) else {}
    return {"name": str(told.get("name", ""))[:120], "laying": Laying.parse(told.get("laying")).as_dict()}


def register_all() -> None:
    """Register both kinds; called once, when Django starts."""
    register(Kind("proof", Proof, _saved_wall, _check_wall))
    register(Kind("surface", OwnSurface, _saved_laying, _check_laying))
