"""Sound: read from files, and what is heard in it."""
