"""The field functions, by theme."""
