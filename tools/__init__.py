"""What those who work on Choreon use, beside the program."""
