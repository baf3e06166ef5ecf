"""Effects, revisions and bakes in SQLite."""
