"""``python -m oskren.cli``."""

from oskren.cli import main

main()
