"""One sort of finding a file. To add one, write its module and name it in `checkup`."""
