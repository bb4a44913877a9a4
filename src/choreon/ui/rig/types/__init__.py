"""The type editor: what a make of lamp can do, and which value does it."""
