"""`python -m gonnet`: the same program as the `gonnet` command."""

from gonnet.cli import main

if __name__ == "__main__":
    main()
