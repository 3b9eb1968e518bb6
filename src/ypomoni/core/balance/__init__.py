"""Loads moved between supplies: what each supply must keep, what a move does, and the search for the best moves."""
