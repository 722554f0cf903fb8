"""Run the command line with ``python -m jump_lane``."""

from jump_lane.cli.app import main

if __name__ == "__main__":
    main()
