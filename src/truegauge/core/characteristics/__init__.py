"""The kinds of characteristics, one module a family."""
