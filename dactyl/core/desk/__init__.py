"""The desk: what becomes of the outputs of a kit after their voices are summed (design rules 11, 16 and 18)."""
