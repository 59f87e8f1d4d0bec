"""One module for each command of the command line: its arguments, and the one call it makes."""
