"""The command line as a program: python -m tempik.cli."""

import sys

from tempik.cli.main import main

sys.exit(main())
