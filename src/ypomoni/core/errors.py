"""What the core refuses.

YpomoniError                any refusal that a caller may show to a person
└── QuantityError           a quantity is physically impossible or contradicts another
    └── OutsideTableError   a temperature lies outside the published rows, so no figure is given
"""


class YpomoniError(Exception):
    """A refusal with a message fit to be shown to a person."""


class QuantityError(YpomoniError, ValueError):
    """Raised when a quantity is impossible. The message names the quantity, the rule, the value received and its unit."""


class OutsideTableError(QuantityError):
    """Raised when a temperature lies outside the rows a chemistry was published with."""
