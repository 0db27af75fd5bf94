"""``python -m northmoor`` is the command line."""

from northmoor.cli import main

main()
