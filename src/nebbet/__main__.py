"""python -m nebbet."""

from nebbet.cli.main import main

main()
