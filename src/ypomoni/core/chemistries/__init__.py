"""The chemistries that are modelled, one sourced data set per file, and the sizes primary cells are sold in."""

from ypomoni.core.chemistries.alkaline import ALKALINE
from ypomoni.core.chemistries.lead_agm import LEAD_AGM
from ypomoni.core.chemistries.lead_gel import LEAD_GEL
from ypomoni.core.chemistries.li_fes2 import LI_FES2
from ypomoni.core.chemistries.li_ion import LI_ION
from ypomoni.core.chemistries.li_mno2 import LI_MNO2
from ypomoni.core.chemistries.li_socl2 import LI_SOCL2
from ypomoni.core.chemistries.lifepo4 import LIFEPO4
from ypomoni.core.chemistries.model import Chemistry, Row
from ypomoni.core.chemistries.nimh import NIMH

CHEMISTRIES: dict[str, Chemistry] = {c.key: c for c in (LEAD_AGM, LEAD_GEL, LIFEPO4, LI_ION, NIMH, ALKALINE, LI_MNO2, LI_FES2, LI_SOCL2)}

__all__ = ["CHEMISTRIES", "Chemistry", "Row"]
