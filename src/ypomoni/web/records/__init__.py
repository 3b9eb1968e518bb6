"""The forms of everything that is kept, and their dialogs."""
