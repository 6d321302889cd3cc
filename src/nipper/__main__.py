"""Chooses: a headless command, or the window."""

import sys
import warnings


def main() -> int:
    """Entry point of ``nipper``."""
    arguments = sys.argv[1:]
    if (
        not sys.warnoptions
    ):  # what libraries warn of is for developers (python -W); users get sentences
        warnings.simplefilter("ignore")
    from nipper import cli

    if arguments and (
        arguments[0] in cli.COMMANDS or arguments[0] in ("--help", "-h", "--version")
    ):
        return cli.main(arguments)
    from nipper.app import start

    return start.main(arguments)


if __name__ == "__main__":
    raise SystemExit(main())
