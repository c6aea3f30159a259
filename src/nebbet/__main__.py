"""python -m nebbet."""

from nebbet.cli.entry import main

if __name__ == "__main__":
    main()
