"""The list of characteristics, their editors, and why a number is what it is."""
