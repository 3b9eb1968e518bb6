"""The schools of sizing, one file each, and their comparison."""

from ypomoni.core.sizing.comparison import METHOD_WORDS, explain_disagreement, size_by, size_by_all_methods
from ypomoni.core.sizing.recommended import NoBank, Recommendation, c20_of, recommend_bank

__all__ = ["METHOD_WORDS", "NoBank", "Recommendation", "c20_of", "explain_disagreement", "recommend_bank", "size_by", "size_by_all_methods"]
