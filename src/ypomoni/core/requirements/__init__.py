"""What must hold, for how long, and by which method it is judged."""

from ypomoni.core.requirements.model import METHODS, Autonomy, Derating, Method, Requirement, SystemPurpose

__all__ = ["METHODS", "Autonomy", "Derating", "Method", "Requirement", "SystemPurpose"]
