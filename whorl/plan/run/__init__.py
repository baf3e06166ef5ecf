"""A plan run on the CPU."""
