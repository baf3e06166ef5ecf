"""Whorl: moving procedural effect materials."""
