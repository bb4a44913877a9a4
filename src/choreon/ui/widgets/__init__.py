"""Controls that more than one place uses."""
