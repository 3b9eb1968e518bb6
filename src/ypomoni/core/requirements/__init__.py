"""What must hold, for how long, and by which method it is judged."""

from ypomoni.core.requirements.model import METHODS, Derating, Method, Requirement

__all__ = ["METHODS", "Derating", "Method", "Requirement"]
