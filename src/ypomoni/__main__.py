"""`python -m ypomoni`: the command line."""

from ypomoni.cli import main

main()
