"""python -m lumek: the command line."""

from lumek.cli import main

main()
