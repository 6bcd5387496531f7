"""Steps that bring the document of an earlier version of a plan to the next one: one frozen module a version."""
