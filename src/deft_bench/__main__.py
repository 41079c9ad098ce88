"""`python -m deft_bench` is `deft-bench`."""

import sys

from deft_bench.cli import main

sys.exit(main())
