"""The place Score: what comes next, and when."""
