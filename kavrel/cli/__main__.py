"""`python -m kavrel.cli`."""

from kavrel.cli import main

main()
