"""The schools of sizing, one file each, and their comparison."""

from ypomoni.core.sizing.comparison import size_by_all_methods
from ypomoni.core.sizing.recommended import NoBank, Recommendation, recommend_bank

__all__ = ["NoBank", "Recommendation", "recommend_bank", "size_by_all_methods"]
