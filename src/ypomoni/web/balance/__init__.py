"""The stage Balance: the board, the search for the best moves, plans compared."""
