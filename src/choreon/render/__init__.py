"""How light is computed: show + time → DMX bytes. NumPy only, no Qt, no input or
output.
"""
