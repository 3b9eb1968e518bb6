"""The schools of sizing, one file each, their comparison, and what is sold."""

from ypomoni.core.sizing.comparison import METHOD_WORDS, explain_disagreement, size_by, size_by_all_methods
from ypomoni.core.sizing.sold_list import c20_of, sold_banks

__all__ = ["METHOD_WORDS", "c20_of", "explain_disagreement", "size_by", "size_by_all_methods", "sold_banks"]
