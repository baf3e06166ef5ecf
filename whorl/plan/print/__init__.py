"""A plan printed as a program."""
