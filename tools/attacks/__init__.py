"""Attacks on the product, from outside and within: each says what it tried and what did not hold. `make attack` runs them whole, `make test` a share."""
