"""Pure calculation: no I/O, no clock, no framework. Called by `actions`, `documents` and the tests."""
