"""Entry for ``python -m woad.cli``."""

import os

# The settings library looks through all installed packages for plugins of its own unless told not to.
os.environ.setdefault("PYDANTIC_DISABLE_PLUGINS", "__all__")

from woad.cli.main import main

main()
