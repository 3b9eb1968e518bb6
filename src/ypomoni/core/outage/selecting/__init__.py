"""Supplies that back each other up, played: which input feeds when, and the instant at which a device is first dead.

Standby only. An input feeds through its own battery model, so what the device sees is its voltage under the load just then. An input that does
not feed draws its own current. A disconnect that opened stays open, at rest too, since nothing charges here.
"""

from ypomoni.core.outage.selecting.model import FedFrom, Look, Selected
from ypomoni.core.outage.selecting.play import play_selector

__all__ = ["FedFrom", "Look", "Selected", "play_selector"]
