"""The command line: each command asks one thing of the library and shows it."""
