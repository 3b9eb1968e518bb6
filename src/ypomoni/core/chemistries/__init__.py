"""The chemistries that are modelled, one sourced data set per file, and the names of those that are only accepted."""

from ypomoni.core.chemistries.lead_agm import LEAD_AGM
from ypomoni.core.chemistries.lead_gel import LEAD_GEL
from ypomoni.core.chemistries.li_ion import LI_ION
from ypomoni.core.chemistries.lifepo4 import LIFEPO4
from ypomoni.core.chemistries.model import Chemistry, Row
from ypomoni.core.chemistries.nimh import NIMH

CHEMISTRIES: dict[str, Chemistry] = {c.key: c for c in (LEAD_AGM, LEAD_GEL, LIFEPO4, LI_ION, NIMH)}

# Accepted in a site file and kept; their supplies are answered `not_modelled_yet`. Nominal volts a cell, and a name.
UNMODELLED_CHEMISTRIES: dict[str, tuple[float, str]] = {
    "alkaline": (1.5, "alkaline"),
    "li_mno2": (3.0, "lithium manganese dioxide"),
    "li_fes2": (1.5, "lithium iron disulphide"),
    "li_socl2": (3.6, "lithium thionyl chloride"),
}

__all__ = ["CHEMISTRIES", "UNMODELLED_CHEMISTRIES", "Chemistry", "Row"]
