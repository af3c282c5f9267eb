"""What Python's own argparse says about a command line: it looks its messages up in the catalogue by itself, in the
language of the environment. They stand here so that they are translated.
"""

ON_HELP = ("usage: ", "positional arguments", "options", "show this help message and exit")
ON_ERRORS = (
    "argument %(argument_name)s: %(message)s",
    "the following arguments are required: %s",
    "one of the arguments %s is required",
    "not allowed with argument %s",
    "unrecognized arguments: %s",
    "ambiguous option: %(option)s could match %(matches)s",
    "expected one argument",
    "expected at most one argument",
    "expected at least one argument",
    "ignored explicit argument %r",
    "invalid %(type)s value: %(value)r",
    "invalid choice: %(value)r (choose from %(choices)s)",
)
