import sys

from irongauge.cli import main

sys.exit(main(sys.argv[1:]))
