"""`python -m snelk` is `snelk`."""

from snelk.cli.start import main

main()
