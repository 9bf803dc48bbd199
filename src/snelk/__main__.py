"""`python -m snelk` is `snelk`."""

from snelk.cli.main import main

main()
