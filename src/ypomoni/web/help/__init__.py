"""Help where one stands: what a word means, which keys there are, and finding anything."""
