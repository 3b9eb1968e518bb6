"""For developers: every component of the interface on one page. There only where the settings ask for it."""
