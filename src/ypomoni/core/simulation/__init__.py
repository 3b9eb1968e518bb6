"""The simulated outage: demand over time, one step of the battery, and the run to its end."""

from ypomoni.core.simulation.demand import LoadCurrents, Timeline, build_timeline
from ypomoni.core.simulation.ends import End, EndCause, Holdover
from ypomoni.core.simulation.run import Outage

__all__ = ["End", "EndCause", "Holdover", "LoadCurrents", "Outage", "Timeline", "build_timeline"]
