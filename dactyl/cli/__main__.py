import sys

from dactyl.cli import main

sys.exit(main())
