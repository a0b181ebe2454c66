"""Entry for ``python -m woad.cli``."""

from woad.cli.main import main

main()
