"""`python -m awl.cli`."""

from awl.cli import main

main()
