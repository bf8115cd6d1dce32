"""`python -m dogana`."""

from dogana.cli.entry import main

main()
